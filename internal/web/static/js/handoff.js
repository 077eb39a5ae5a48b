// @ts-check
// The handoff sentence: its choices, what they cost, and taking.
import { island } from "./island.js";
import { call } from "./api.js";

export function handoff() {
  return island({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
    bytes: "",
    memory: "",
    line: "",
    word: "Take",
    href: "",
    problem: "",
    busy: false,

    init() {
      this.root = this.$root;
      this.bytes = this.root.querySelector("b[x-text=bytes]").textContent;
      this.memory = this.root.querySelector("b[x-text=memory]").textContent;
      this.line = this.root.querySelector("[x-text=line]").textContent;
      this.href = this.root.dataset.href;
      this.reckon();
    },

    /** @param {string} name */
    chosen(name) {
      return /** @type {HTMLSelectElement} */ (this.root.querySelector(`[data-${name}]`)).value;
    },

    asked: 0,

    /** Asks for the cost and address of what is chosen now. Of several questions only the last one's answer counts. */
    async reckon() {
      const mine = ++this.asked;
      const q = new URLSearchParams({ tier: this.chosen("tier"), normal: this.chosen("normal"), roughness: this.chosen("rough"), format: this.chosen("format"), release: this.root.dataset.release });
      try {
        const c = await call("GET", `/library/${this.root.dataset.slug}/cost?${q}`);
        if (mine !== this.asked) return;
        this.bytes = c.fetch;
        this.memory = c.memory;
        this.line = c.pixels.startsWith("0 ") ? "figures, no maps" : `${c.pixels} px; ${this.chosen("format") === "exr" ? "linear light, half and float" : "16 bits are kept"}`;
        this.href = c.href;
        this.problem = "";
      } catch (e) {
        if (mine === this.asked) this.problem = /** @type {Error} */ (e).message;
      }
    },

    async take() {
      if (this.busy) return;
      this.busy = true;
      this.word = "Making it ready…";
      this.problem = "";
      try {
        await this.reckon(); // what was chosen a moment ago is what is taken
        if (this.problem) return;
        // Its files are made on the first request; until then the server says how far it is.
        for (;;) {
          const ready = await fetch(`${this.href}&wait=10`, { headers: { Range: "bytes=0-0" } });
          if (ready.status === 202) {
            const { done, of } = await ready.json();
            this.word = `Making file ${Math.min(done + 1, of)} of ${of}…`;
            await new Promise((next) => setTimeout(next, 300));
            continue;
          }
          if (!ready.ok) throw new Error((await ready.json().catch(() => null))?.detail ?? `The server answered ${ready.status}.`);
          const size = Number((ready.headers.get("Content-Range") ?? "").split("/")[1]);
          if (size) this.line = `${(size / 1e6).toFixed(1)} MB exactly`;
          break;
        }
        const a = document.createElement("a");
        a.href = this.href;
        a.download = "";
        document.body.append(a);
        a.click();
        a.remove();
      } catch (e) {
        this.problem = /** @type {Error} */ (e).message;
      } finally {
        this.busy = false;
        this.word = "Take";
      }
    },
  });
}
