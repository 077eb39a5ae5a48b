// @ts-check
// Requests: asking, reporting a problem with a pin on the picture, answering.
import { call, fail, tell } from "./api.js";
import { island } from "./island.js";
import { parts } from "./parts.js";

/** The slug of the material that a name means. @param {string} name */
async function named(name) {
  const found = await call("GET", `/api/v1/library?q=${encodeURIComponent(name)}`);
  if (!found.items.length) throw new Error(`No material is called “${name}”.`);
  return found.items[0].slug;
}

export function requests() {
  return {
    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (e.detail.includes("requests")) parts(location.href, "queue", "request");
    },
    /** @param {SubmitEvent} e */
    async send(e) {
      const f = new FormData(/** @type {HTMLFormElement} */ (e.target)), picture = /** @type {File} */ (f.get("picture"));
      try {
        const r = await call("POST", "/api/v1/requests", { kind: "material", title: f.get("title"), text: f.get("text"), size: f.get("size"), due: f.get("due") });
        if (picture.size) {
          const sent = await fetch(`/api/v1/requests/${r.id}/picture?name=${encodeURIComponent(picture.name)}`, { method: "PUT", body: picture, headers: { "If-Match": "*", "Content-Type": "application/octet-stream" } });
          if (!sent.ok) fail((await sent.json().catch(() => null))?.detail ?? "The picture was not taken.");
        }
        location.assign(r.page);
      } catch (x) {
        fail(x);
      }
    },
    /** @param {SubmitEvent} e */
    async answer(e) {
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form), name = String(f.get("solved") ?? "").trim();
      try {
        const solved = name ? await named(name) : "";
        await call("POST", `/api/v1/requests/${form.dataset.request}/answers`, { text: f.get("text"), state: f.get("state") || (solved ? "solved" : ""), solved_by: solved }, form.dataset.version);
        form.reset();
        await parts(location.href, "queue", "request");
        tell("Sent.");
      } catch (x) {
        fail(x);
      }
    },
  };
}

export function report() {
  return island({
    pinning: false,
    placed: false,
    pinX: -1,
    pinY: -1,

    /** The next click on the swatch says where. */
    pin() {
      const picture = /** @type {HTMLElement | null} */ (document.querySelector("#pictures .picture"));
      if (!picture) return;
      this.pinning = true;
      if (document.getElementById("pictures")?.hidden) dispatchEvent(new CustomEvent("look", { detail: "pictures" }));
      picture.dataset.pinning = "";
      picture.addEventListener("click", (e) => {
        const box = picture.getBoundingClientRect();
        this.pinX = (e.clientX - box.left) / box.width;
        this.pinY = (e.clientY - box.top) / box.height;
        this.placed = true;
        this.pinning = false;
        delete picture.dataset.pinning;
        picture.querySelector("[data-pin]")?.remove();
        const mark = document.createElementNS("http://www.w3.org/2000/svg", "svg");
        mark.setAttribute("viewBox", "0 0 100 100");
        mark.setAttribute("class", "pin-mark");
        mark.dataset.pin = "";
        const ring = document.createElementNS("http://www.w3.org/2000/svg", "circle");
        for (const [k, v] of Object.entries({ cx: this.pinX * 100, cy: this.pinY * 100, r: 3.4 })) ring.setAttribute(k, String(v));
        mark.append(ring);
        picture.append(mark);
      }, { once: true });
    },

    /** @param {SubmitEvent} e */
    async send(e) {
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form), { slug, release, extent } = this.$root.dataset;
      const view = new URLSearchParams(location.search);
      view.set("release", String(release));
      if (this.placed) view.set("extent_m", String(extent));
      try {
        await call("POST", "/api/v1/requests", { kind: "problem", title: f.get("title"), text: f.get("text"), material: slug, release: Number(release), view: String(view), ...(this.placed ? { pin: [this.pinX, this.pinY] } : {}) });
        form.reset();
        location.reload();
      } catch (x) {
        fail(x);
      }
    },
  });
}
