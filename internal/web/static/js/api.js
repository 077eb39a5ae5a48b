// @ts-check
// Talking to the server: JSON calls, the versions that they are made for, and notices.

/**
 * Calls the API. Problems become errors whose message is the server's sentence.
 * @template {string} M
 * @template {string} P
 * @param {M} method
 * @param {P} path as the OpenAPI document has it
 * @param {unknown} [body]
 * @param {string | number} [version] of what is changed, as it is shown; "*" for whatever there is
 * @returns {Promise<Answer<M, P>>}
 */
export async function call(method, path, body, version) {
  /** @type {Record<string, string>} */
  const headers = { Accept: "application/json" };
  if (body !== undefined) headers["Content-Type"] = "application/json";
  if (version) headers["If-Match"] = version === "*" ? "*" : `"${version}"`;
  let answer;
  try {
    answer = await fetched(path, { method, headers, body: body === undefined ? undefined : JSON.stringify(body) });
  } catch {
    throw new Error("The server cannot be reached. Check the connection and try again.");
  }
  const data = answer.status === 204 ? null : await answer.json().catch(() => null);
  if (!answer.ok) throw new Refused(data?.detail ?? `The server answered ${answer.status}.`, answer.status);
  return data;
}

/**
 * Every request of a page: notices that the session has ended.
 * @param {string | URL} url
 * @param {RequestInit} [how]
 */
export async function fetched(url, how) {
  const answer = await fetch(url, how);
  if (answer.status === 401) dispatchEvent(new CustomEvent("signed-out"));
  return answer;
}

/**
 * The version of the material on the Bench that is shown. An edit made here counts at once,
 * before the page has been brought up to date.
 * @param {Element} within the Bench
 */
export function shown(within) {
  const bench = /** @type {HTMLElement} */ (within.closest("[data-bench]"));
  const now = /** @type {HTMLElement} */ (bench.querySelector("[data-lens-now]"));
  return Math.max(Number(now.dataset.version), Number(bench.dataset.wrote ?? 0));
}

/**
 * Notes the version that an edit made here has made.
 * @param {Element} within the Bench
 * @param {{version: number}} material as the server answered
 */
export function wrote(within, material) {
  /** @type {HTMLElement} */ (within.closest("[data-bench]")).dataset.wrote = String(material.version);
}

/** A refusal of the server, with its sentence. */
export class Refused extends Error {
  /**
   * @param {string} says
   * @param {number} status
   */
  constructor(says, status) {
    super(says);
    this.status = status;
  }
}

/**
 * Undoes a recorded step, or with redo does it again, and says so.
 * @param {number | string} step
 * @param {"undo" | "redo"} [way]
 */
export async function turn(step, way = "undo") {
  const { says } = await call("POST", `/api/v1/steps/${step}/${way}`);
  tell(`${way === "undo" ? "Undone" : "Redone"}: ${says}.`);
}

/**
 * Says something at the foot of the page, with a way back if there is one, and
 * with what else could be done.
 * @param {string} text
 * @param {(() => Promise<void>) | null} [undo]
 * @param {{word: string, key: string, act: () => Promise<void>}[]} [more]
 */
export function tell(text, undo = null, more = []) {
  dispatchEvent(new CustomEvent("tell", { detail: { text, undo, more } }));
}

/**
 * Says an error. It stays until it is closed, and does not displace another notice.
 * @param {unknown} error
 * @param {() => unknown} [again] tries once more: the error offers it
 */
export function fail(error, again) {
  dispatchEvent(new CustomEvent("fail", { detail: { text: error instanceof Error ? error.message : String(error), again } }));
}
