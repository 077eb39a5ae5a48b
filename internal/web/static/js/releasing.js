// @ts-check
// Releasing one or many: what can't be undone is shown first, with what is open in each.
import { call, tell } from "./api.js";
import { island } from "./island.js";

/** @typedef {{id: number, version: number, name: string}} Draft */

export function releasing() {
  return island({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
    /** @type {Draft[]} */ drafts: [],
    /** Materials with something open, or that are refused. @type {{id: number, name: string, open: {code: string, says: string, tone: string}[], refused: string}[]} */ lines: [],
    outcome: "",
    refused: 0,
    stops: false, // whether a lead overrides any
    asking: false,
    busy: false,
    problem: "",
    when: "now",
    title: "Release",

    init() {
      this.root = this.$root;
    },
    get single() {
      return this.drafts.length === 1;
    },
    get able() {
      return !this.asking && this.refused < this.drafts.length;
    },
    get word() {
      const n = this.drafts.length - this.refused;
      return `${this.when === "now" ? "Release" : "Schedule"}${this.single ? "" : ` ${n}`}`;
    },

    /** Asks before drafts are released, as they are shown. @param {CustomEvent<Draft[]>} e */
    async open(e) {
      Object.assign(this, { drafts: e.detail, lines: [], outcome: "", refused: 0, stops: false, problem: "", when: "now", asking: true });
      this.title = this.single ? `Release ${this.drafts[0].name}` : `Release ${this.drafts.length} materials`;
      this.root.showModal();
      this.$refs.notes.focus();
      try {
        const { open, refused } = await call("POST", "/api/v1/releases", { materials: this.seen(), notes: "", dry_run: true });
        const why = new Map(refused.map((k) => [k.id, k.error])), names = new Map(this.drafts.map((d) => [d.id, d.name]));
        this.refused = refused.length;
        this.stops = open.some((m) => !why.has(m.id) && m.open.some((o) => o.severity === "stop"));
        this.lines = open.filter((m) => m.open.length || why.has(m.id)).map((m) => ({
          id: m.id,
          name: m.name || (names.get(m.id) ?? ""),
          open: m.open.map((o) => ({ code: o.code, says: o.says, tone: o.severity === "stop" ? "stop" : "doubt" })),
          refused: why.get(m.id) ?? "",
        }));
        const clean = open.length - this.lines.length;
        this.outcome = this.refused ? `${open.length - this.refused} of ${open.length} can be released.` : this.single ? (clean ? "Complete: no open findings, licence and category set." : "") : clean ? clean === open.length ? "All complete: no open findings, licence and category set." : `The other ${clean} are complete.` : "";
      } catch (x) {
        this.problem = /** @type {Error} */ (x).message;
      }
      this.asking = false;
    },
    close() {
      this.root.close();
    },
    timed() {
      this.when = "at";
    },
    /** The drafts as they are shown. */
    seen() {
      return this.drafts.map(({ id, version }) => ({ id, version }));
    },

    submit() {
      return this.when === "at" ? this.send(() => this.schedule()) : this.send(() => (this.single ? this.one() : this.many()));
    },
    review() {
      return this.send(async () => {
        const [d] = this.drafts;
        await call("POST", `/api/v1/materials/${d.id}/review`, { notes: this.$refs.notes.value }, d.version);
        return { ids: [], says: "Sent to review." };
      });
    },
    async one() {
      const [d] = this.drafts, r = await call("POST", `/api/v1/materials/${d.id}/releases`, { notes: this.$refs.notes.value, override: this.$refs.override.value }, d.version);
      return { ids: [d.id], says: `Release ${r.number} is in the Library.` };
    },
    async many() {
      const { releases, refused } = await call("POST", "/api/v1/releases", { materials: this.seen(), notes: this.$refs.notes.value, override: this.$refs.override.value });
      if (refused.length > this.refused) this.problem = refused.map((k) => k.error).slice(0, 4).join(" ");
      return { ids: releases.map((r) => r.material_id), says: `Released: ${releases.length} of ${this.drafts.length}.` };
    },
    async schedule() {
      const due = this.$refs.due.value;
      if (!due) throw new Error("Set the date and time.");
      const batch = await call("POST", "/api/v1/schedules", { materials: this.seen(), due: new Date(due).toISOString(), notes: this.$refs.notes.value });
      const undo = async () => {
        await call("DELETE", `/api/v1/schedules/${batch.id}`, undefined, "*");
      };
      return { ids: this.drafts.map((d) => d.id), says: `${batch.count} will be released on ${due.replace("T", " at ")}. Reviews lists them.`, undo };
    },

    /**
     * Does it. What is done is said when the page shows it: an edit that follows at once names the new version.
     * @param {() => Promise<{ids: number[], says: string, undo?: () => Promise<void>}>} act
     */
    async send(act) {
      if (this.busy) return;
      this.busy = true;
      this.problem = "";
      try {
        const { ids, says, undo } = await act(), /** @type {Promise<unknown>[]} */ wait = [];
        dispatchEvent(new CustomEvent("released", { detail: { ids, wait } }));
        await Promise.all(wait);
        tell(says, undo);
        if (this.problem) return; // of those that were not
        this.root.close();
        this.$refs.notes.value = this.$refs.override.value = "";
      } catch (x) {
        this.problem = /** @type {Error} */ (x).message;
      } finally {
        this.busy = false;
      }
    },
  });
}
