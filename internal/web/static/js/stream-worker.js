// @ts-check
// A shared worker: one stream of events for all of a person's open pages, as a browser
// opens only a few connections to one server.

/** @typedef {{id: number, data: string}} News */

const most = 200; // messages that are kept for pages that come later

/** @type {Set<MessagePort>} */ const ports = new Set();
/** @type {News[]} */ let kept = [];
let begun = -1; // the number of the event from which everything is known
let last = 0;
/** @type {EventSource | null} */ let stream = null;
let line = "";

/** @param {object} what */
function tell(what) {
  for (const p of ports) p.postMessage(what);
}

/** @param {string} now */
function say(now) {
  if (line !== now) tell({ line: (line = now) });
}

function open() {
  stream = new EventSource(`/events?after=${last}`);
  stream.onopen = () => say("open");
  stream.onmessage = (e) => {
    last = Math.max(last, Number(e.lastEventId) || 0);
    kept.push({ id: last, data: e.data });
    if (kept.length > most) begun = /** @type {News} */ (kept.shift()).id;
    tell({ data: e.data });
  };
  // Too much was missed while the line was down.
  stream.addEventListener("gap", (e) => {
    last = begun = Number(/** @type {MessageEvent} */ (e).lastEventId) || last;
    kept = [];
    tell({ gap: true });
  });
  stream.onerror = () => {
    say("down");
    if (stream?.readyState !== EventSource.CLOSED) return; // the browser tries again itself
    stream = null;
    setTimeout(() => ports.size && !stream && open(), 3000);
  };
}

/** @type {any} */ (self).onconnect = (/** @type {MessageEvent} */ connect) => {
  const port = connect.ports[0];
  port.onmessage = ({ data }) => {
    if (data.bye) return ports.delete(port);
    ports.add(port);
    if (begun < 0) last = begun = data.after;
    if (data.after < begun) return port.postMessage({ gap: true });
    for (const k of kept) if (k.id > data.after) port.postMessage({ data: k.data });
    if (line) port.postMessage({ line });
    if (!stream) open();
  };
};
