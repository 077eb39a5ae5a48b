// @ts-check
// Requests: asking, reporting a problem with a pin on the picture, answering.
import { call, fail, tell } from "./api.js";
import { island } from "./island.js";
import { named } from "./named.js";
import { parts } from "./parts.js";

export function requests() {
  return {
    /** The request that was made while its picture was refused: sending again sends the picture alone. */
    made: 0,
    word: "Send request",
    busy: false,
    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      if (e.detail.includes("requests")) parts(location.href, "queue", "request");
    },
    /** @param {SubmitEvent} e */
    async send(e) {
      if (this.busy) return;
      this.busy = true;
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form), picture = /** @type {File} */ (f.get("picture"));
      try {
        if (!this.made) {
          const r = await call("POST", "/api/v1/requests", { kind: "material", title: f.get("title"), text: f.get("text"), size: f.get("size"), due: f.get("due") });
          this.made = r.id;
        }
        if (picture.size) await this.illustrate(picture);
        location.assign(`/requests/${this.made}`);
      } catch (x) {
        fail(x);
        if (this.made) this.word = "Send the picture";
      } finally {
        this.busy = false;
      }
    },
    /** Sends the picture of the request that was made. @param {File} picture */
    async illustrate(picture) {
      const sent = await fetch(`/api/v1/requests/${this.made}/picture?name=${encodeURIComponent(picture.name)}`, { method: "PUT", body: picture, headers: { "If-Match": "*", "Content-Type": "application/octet-stream" } })
        .catch(() => null);
      if (sent?.ok) return;
      const why = sent ? ((await sent.json().catch(() => null))?.detail ?? `The server answered ${sent.status}.`) : "The server can't be reached.";
      throw new Error(`The request is made, but its picture was not taken. ${why} Choose another picture, or send it again.`);
    },
    /** @param {SubmitEvent} e */
    async answer(e) {
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form), name = String(f.get("solved") ?? "").trim();
      try {
        const material = name ? await named(name) : null;
        if (name && !material) return;
        const solved = material?.slug ?? "";
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

    view: "", // what was looked at when the place was asked for

    /** A click on the swatch says where, or arrows and Enter. */
    pin() {
      const picture = /** @type {HTMLElement | null} */ (document.querySelector("#pictures .picture"));
      if (!picture || this.pinning) return;
      this.view ||= location.search || "?";
      this.pinning = true;
      if (document.getElementById("pictures")?.hidden) dispatchEvent(new CustomEvent("look", { detail: "pictures" }));
      picture.dataset.pinning = "";
      picture.tabIndex = 0;
      picture.setAttribute("role", "button");
      picture.setAttribute("aria-label", "The place: arrows move it, Enter marks it");
      if (!this.placed) [this.pinX, this.pinY] = [0.5, 0.5];
      this.mark(picture);
      picture.focus();
      const over = new AbortController(), { signal } = over;
      const end = (/** @type {boolean} */ placed) => {
        over.abort();
        this.placed ||= placed;
        this.pinning = false;
        delete picture.dataset.pinning;
        for (const name of ["tabindex", "role", "aria-label"]) picture.removeAttribute(name);
        if (!this.placed) picture.querySelector("[data-pin]")?.remove();
        this.$refs.pin.focus();
      };
      picture.addEventListener("click", (e) => {
        const box = picture.getBoundingClientRect();
        this.pinX = (e.clientX - box.left) / box.width;
        this.pinY = (e.clientY - box.top) / box.height;
        this.mark(picture);
        end(true);
      }, { signal });
      picture.addEventListener("keydown", (e) => {
        const [x, y] = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key] ?? [0, 0], by = e.shiftKey ? 0.005 : 0.03;
        if (!x && !y && e.key !== "Enter" && e.key !== "Escape") return;
        e.preventDefault();
        e.stopPropagation();
        if (e.key === "Enter" || e.key === "Escape") return end(e.key === "Enter");
        this.pinX = Math.min(1, Math.max(0, this.pinX + by * x));
        this.pinY = Math.min(1, Math.max(0, this.pinY + by * y));
        this.mark(picture);
      }, { signal });
    },

    /** Draws the mark on the swatch. @param {HTMLElement} picture */
    mark(picture) {
      picture.querySelector("[data-pin]")?.remove();
      const mark = document.createElementNS("http://www.w3.org/2000/svg", "svg");
      mark.setAttribute("viewBox", "0 0 100 100");
      mark.setAttribute("class", "pin-mark");
      mark.dataset.pin = "";
      const ring = document.createElementNS("http://www.w3.org/2000/svg", "circle");
      for (const [k, v] of Object.entries({ cx: this.pinX * 100, cy: this.pinY * 100, r: 3.4 })) ring.setAttribute(k, String(v));
      mark.append(ring);
      picture.append(mark);
    },

    /** @param {SubmitEvent} e */
    async send(e) {
      const form = /** @type {HTMLFormElement} */ (e.target), f = new FormData(form), { slug, release, extent } = this.$root.dataset;
      const view = new URLSearchParams(this.view || location.search);
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
