// @ts-check
// What changes on the server, as it happens.

/**
 * Listens from an event on, by the worker that all pages share; where there is none, by a
 * stream of this page's own.
 * @param {number} after the last event before the page was drawn
 * @param {string} person whose pages share the stream
 * @param {{news: (data: any) => void, gap: () => void, line: (open: boolean) => void}} hear
 */
export function listen(after, person, hear) {
  if (typeof SharedWorker === "undefined") return alone(after, hear);
  const { port } = new SharedWorker(new URL("./stream-worker.js", import.meta.url), { name: person });
  port.onmessage = ({ data }) => {
    if (data.gap) hear.gap();
    else if (data.line) hear.line(data.line === "open");
    else hear.news(JSON.parse(data.data));
  };
  port.postMessage({ after });
  addEventListener("pagehide", () => port.postMessage({ bye: true }));
  // A page that comes back from the browser's cache has missed what happened meanwhile.
  addEventListener("pageshow", (e) => e.persisted && location.reload());
}

/**
 * @param {number} after
 * @param {{news: (data: any) => void, gap: () => void, line: (open: boolean) => void}} hear
 */
function alone(after, hear) {
  const stream = new EventSource(`/events?after=${after}`);
  stream.onopen = () => hear.line(true);
  stream.onerror = () => hear.line(false);
  stream.addEventListener("gap", hear.gap);
  stream.onmessage = (e) => hear.news(JSON.parse(e.data));
  addEventListener("pagehide", () => stream.close());
}
