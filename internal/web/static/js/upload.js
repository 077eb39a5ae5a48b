// @ts-check
// Sending files. A small delivery goes in one request; a large one in pieces (tus),
// so that a lost connection or a reload of the page costs nothing: the same files,
// chosen again, go on where they stopped.
import { call } from "./api.js";

/** @typedef {{path: string, file: File}} Found */
/** @typedef {(done: number, all: number) => void} Progress */

const inOneRequest = 32e6;
const atOnce = 3;
const pauses = [0, 1000, 3000, 5000, 10_000, 20_000, 30_000];

/** @type {any} */

/**
 * @param {Found[]} found
 * @param {Progress} progress
 * @param {(path: string, says: string) => void} trouble
 * @returns {Promise<{id: number}>}
 */
export async function send(found, progress, trouble) {
  const all = found.reduce((n, f) => n + f.file.size, 0);
  return all <= inOneRequest ? form(found, progress) : pieces(found, all, progress, trouble);
}

/** How many files of earlier uploads wait to be gone on with. */
export function interrupted() {
  return Object.keys(localStorage).filter((k) => k.startsWith("tus::aldermoor:")).length;
}

/**
 * Forgets them: those of the given files, or all.
 * @param {Found[]} [found]
 */
export function forget(found) {
  const begins = found ? found.map((f) => `tus::${fingerprint(f)}::`) : ["tus::aldermoor:"];
  for (const k of Object.keys(localStorage)) if (begins.some((b) => k.startsWith(b))) localStorage.removeItem(k);
}

/** By what a file is known when it is chosen again. @param {Found} f */
const fingerprint = ({ path, file }) => `aldermoor:${path}:${file.size}:${file.lastModified}`;

/**
 * fetch cannot report how far it is, XMLHttpRequest can.
 * @param {Found[]} found
 * @param {Progress} progress
 */
function form(found, progress) {
  const body = new FormData();
  for (const { path, file } of found) body.append("file", file, path);
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest();
    x.open("POST", "/api/v1/deliveries");
    x.upload.onprogress = (e) => progress(e.loaded, e.total);
    x.onerror = () => reject(new Error("The connection broke before everything arrived. Nothing was kept. Send it again."));
    x.onload = () => {
      let data = null;
      try {
        data = JSON.parse(x.responseText);
      } catch {
        // answered below
      }
      if (x.status === 202) resolve(data);
      else reject(new Error(data?.detail ?? `The server answered ${x.status}.`));
    };
    x.send(body);
  });
}

/**
 * @param {Found[]} found
 * @param {number} all
 * @param {Progress} progress
 * @param {(path: string, says: string) => void} trouble
 */
async function pieces(found, all, progress, trouble) {
  const sent = new Map();
  const ids = /** @type {string[]} */ (new Array(found.length));
  const report = () => progress([...sent.values()].reduce((n, v) => n + v, 0), all);
  let next = 0;
  const work = async () => {
    while (next < found.length) {
      const i = next++;
      ids[i] = await one(found[i], (n) => {
        sent.set(i, n);
        report();
      }, trouble);
    }
  };
  await Promise.all(Array.from({ length: Math.min(atOnce, found.length) }, work));
  const d = await call("POST", "/api/v1/deliveries", { uploads: ids });
  forget(found); // other interrupted uploads still wait
  return d;
}

/**
 * @param {Found} f
 * @param {(sent: number) => void} progress
 * @param {(path: string, says: string) => void} trouble
 * @returns {Promise<string>} the upload's id
 */
async function one({ path, file }, progress, trouble) {
  await import("../vendor/tus.js"); // of no use before
  const tus = /** @type {any} */ (window).tus;
  return new Promise((resolve, reject) => {
    const upload = new tus.Upload(file, {
      endpoint: "/api/v1/uploads",
      metadata: { path, filename: file.name },
      chunkSize: 8 << 20,
      retryDelays: pauses,
      uploadDataDuringCreation: true,
      removeFingerprintOnSuccess: false,
      fingerprint: async () => fingerprint({ path, file }),
      onProgress: progress,
      onShouldRetry: (/** @type {any} */ e, /** @type {number} */ attempt) => {
        const status = e.originalResponse?.getStatus() ?? 0;
        trouble(path, status === 507 ? "the server's disk is full; waiting for room" : `the connection broke; trying again (${attempt + 1})`);
        return !navigator.onLine || status === 0 || status >= 500 || status === 423 || status === 409;
      },
      onError: (/** @type {any} */ e) => reject(new Error(`${path} could not be sent: ${said(e)} Choose the same files again to go on.`)),
      onSuccess: () => resolve(upload.url.split("/").pop()),
    });
    upload.findPreviousUploads().then((/** @type {any[]} */ before) => {
      if (before.length) upload.resumeFromPreviousUpload(before[0]);
      upload.start();
    });
  });
}

/** @param {any} e */
function said(e) {
  const status = e.originalResponse?.getStatus();
  if (status === 507) return "the server's disk is full.";
  return status ? `the server answered ${status}.` : "the server cannot be reached.";
}
