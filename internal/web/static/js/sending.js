// @ts-check
// Intake: what is dropped or chosen, and how far it has come.
import { intakePart } from "./part.js";
import { call, fail, fetched, tell } from "./api.js";
import { forget, interrupted, send } from "./upload.js";

/** A part of Intake. */
export function sending() {
  return intakePart({
    hovering: false,
    sending: false,
    sendingName: "",
    sendingLine: "",
    sendingPercent: 0,
    trouble: "",
    waiting: 0, // files of an interrupted upload

    /** @param {DragEvent} e */
    over(e) {
      this.hovering = !!e.dataTransfer?.types.includes("Files");
    },
    /** @param {DragEvent} e */
    left(e) {
      if (!e.relatedTarget) this.hovering = false;
    },
    /** @param {DragEvent} e */
    async drop(e) {
      this.hovering = false;
      if (!e.dataTransfer?.types.includes("Files")) return;
      const entries = [...e.dataTransfer.items].map((i) => i.webkitGetAsEntry?.()).filter(Boolean);
      /** @type {{path: string, file: File}[]} */
      const found = [];
      for (const entry of entries) await walk(/** @type {FileSystemEntry} */ (entry), "", found);
      if (!entries.length) for (const f of e.dataTransfer.files) found.push({ path: f.name, file: f });
      await this.send(found);
    },
    /** @param {Event} e */
    async choose(e) {
      const input = /** @type {HTMLInputElement} */ (e.target);
      await this.send([...(input.files ?? [])].map((f) => ({ path: f.webkitRelativePath || f.name, file: f })));
      input.value = "";
    },

    /** @param {{path: string, file: File}[]} found */
    async send(found) {
      if (!found.length) return;
      this.sending = true;
      this.sendingName = found.length === 1 ? found[0].path : `${found.length} files`;
      this.sendingPercent = 0;
      this.trouble = "";
      let first = -1;
      const start = performance.now();
      try {
        const { id } = await send(found, (/** @type {number} */ done, /** @type {number} */ all) => {
          if (first < 0) first = done; // what an interrupted upload had sent already
          this.trouble = "";
          const rate = (done - first) / ((performance.now() - start) / 1000);
          const rest = rate > 0 ? Math.ceil((all - done) / rate) : 0;
          this.sendingPercent = Math.round((100 * done) / all);
          this.sendingLine = done >= all ? "arrived; being stored" : `${mega(done)} of ${mega(all)} MB, ${mega(rate)} MB/s, ${time(rest)} left`;
        }, (/** @type {string} */ path, /** @type {string} */ says) => (this.trouble = `${path}: ${says}`));
        location.href = `/intake/${id}`;
      } catch (e) {
        fail(e);
        this.waiting = interrupted();
      } finally {
        this.sending = false;
      }
    },

    /**
     * A file that could not be read, once more.
     * @param {string} path
     * @param {File} file
     */
    async resend(path, file) {
      try {
        const answer = await fetched(`/api/v1/deliveries/${this.delivery}/file?path=${encodeURIComponent(path)}`, { method: "PUT", body: file, headers: { "Content-Type": "application/octet-stream", "If-Match": `"${this.shown}"` } });
        if (!answer.ok) throw new Error((await answer.json()).detail);
        tell(`${path} has arrived and is being examined.`);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /** Does again what failed on the server. */
    async retry() {
      try {
        await call("POST", `/api/v1/deliveries/${this.delivery}/retry`, {}, this.shown);
        tell("Trying again.");
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    forget() {
      forget();
      this.waiting = 0;
    },
  });
}

/** @param {number} n */
const mega = (n) => (n / 1e6).toFixed(n < 1e7 ? 1 : 0);

/** @param {number} s seconds */
const time = (s) => (s < 90 ? `${s} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${(s / 3600).toFixed(1)} h`);

/**
 * Lists the files of a dropped folder with their paths.
 * @param {FileSystemEntry} entry
 * @param {string} at
 * @param {{path: string, file: File}[]} found
 */
async function walk(entry, at, found) {
  if (entry.isFile) {
    const file = await new Promise((ok, no) => /** @type {FileSystemFileEntry} */ (entry).file(ok, no));
    found.push({ path: at + entry.name, file });
    return;
  }
  const reader = /** @type {FileSystemDirectoryEntry} */ (entry).createReader();
  for (;;) {
    /** @type {FileSystemEntry[]} */
    const some = await new Promise((ok, no) => reader.readEntries(ok, no));
    if (!some.length) return;
    for (const e of some) await walk(e, `${at}${entry.name}/`, found);
  }
}
