// @ts-check
// Intake: cells, by key and by pointer: moving among them, their reasons, dragging a picture into another.
import { call, tell } from "./api.js";
import { letters, setOf, titles } from "./channels.js";

/** @returns {any} a part of Intake */
export function cells() {
  return {
    open: false, // the reasons of a cell
    about: { title: "", file: "", facts: "", reasons: [], choices: [], map: "", set: "" },

    /** @param {HTMLElement} cell */
    async explain(cell) {
      const id = Number(cell.dataset.map);
      const set = await call("GET", `/api/v1/materials/${setOf(cell)}`);
      const m = set.maps.find((/** @type {any} */ m) => m.id === id);
      const dir = m?.direction === "y-" ? ", pointing down (Y−)" : m?.direction === "y+" ? ", pointing up (Y+)" : "";
      this.about = {
        map: String(id),
        set: String(set.id),
        title: m ? titles[/** @type {keyof typeof titles} */ (m.channel)] + dir : "Unassigned",
        file: cell.title,
        facts: m ? `${m.width} × ${m.height} px, ${m.bits} bit${m.component === "rgb" || m.stats.mean.length === 1 ? "" : `, component ${m.component}`}. Altogether ${Math.round(100 * m.confidence)} % sure.` : "Drag it into a cell, or say what it is:",
        reasons: (m?.reasons ?? []).map((/** @type {any} */ r) => ({
          says: r.says,
          word: `${Math.abs(r.weight).toFixed(2)} ${r.weight < 0 ? "against" : "for"}`,
          tone: r.weight < 0 ? "stop" : "good",
        })).concat(set.findings.filter((/** @type {any} */ f) => f.severity !== "note" && f.maps.includes(cell.title)).map((/** @type {any} */ f) => ({ says: f.says, word: "to check", tone: "doubt" }))),
        choices: Object.values(letters).map((c) => ({ id: c, title: titles[/** @type {keyof typeof titles} */ (c)] })).filter((c) => c.id !== m?.channel),
      };
      const at = cell.getBoundingClientRect();
      const box = this.$refs.says;
      box.style.left = `${Math.min(at.left + scrollX, innerWidth - 410)}px`;
      this.open = true;
      await this.$nextTick(); // its height is known once it shows
      const below = at.bottom + 8 + box.offsetHeight < innerHeight || at.top < box.offsetHeight;
      box.style.top = `${scrollY + (below ? at.bottom + 8 : at.top - 8 - box.offsetHeight)}px`;
    },

    // Dragging a picture into a cell.

    /** @param {DragEvent} e */
    lift(e) {
      const t = /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("[data-cell]"));
      if (!t) return;
      e.dataTransfer?.setData("application/x-map", JSON.stringify({ map: t.dataset.map, set: setOf(t) }));
    },
    /** @param {DragEvent} e */
    aim(e) {
      if (!e.dataTransfer?.types.includes("application/x-map")) return;
      e.preventDefault();
      for (const g of this.root.querySelectorAll("[data-over]")) g.removeAttribute("data-over");
      const td = /** @type {Element} */ (e.target).closest("td[data-column], td:has([data-loose])");
      td?.querySelector(".gap")?.setAttribute("data-over", "");
    },
    /** @param {DragEvent} e */
    async land(e) {
      const text = e.dataTransfer?.getData("application/x-map");
      const td = /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("td"));
      if (!text || !td) return;
      const { map, set } = JSON.parse(text);
      if (setOf(td) !== set) return tell("A picture can be moved within its own set only.");
      if (td.dataset.column) await this.assign(set, map, td.dataset.column);
      else if (td.querySelector("[data-loose]")) await this.assign(set, map, "");
    },

    /** @param {KeyboardEvent} e */
    async key(e) {
      const t = /** @type {HTMLElement} */ (e.target);
      if (t.matches("[data-filter]")) {
        if (e.key === "Escape") {
          /** @type {HTMLInputElement} */ (t).value = "";
          this.filterSoon();
        }
        if (e.key === "Enter" || e.key === "Escape" || e.key === "ArrowDown") {
          e.preventDefault();
          this.step(null, "");
        }
        return;
      }
      if (t.matches("input, textarea, select") || e.ctrlKey || e.metaKey || e.altKey || document.querySelector("dialog[open]")) return;
      if (e.key === "Escape") this.open = false;
      const cell = /** @type {HTMLElement | null} */ (t.closest("[data-cell], [data-accept], [data-return], [data-open-row]"));
      const row = /** @type {HTMLElement | null} */ (this.root.querySelector(`tr[data-set="${cell ? setOf(cell) : ""}"]`));
      const plain = {
        j: () => this.next(),
        f: () => /** @type {HTMLElement | null} */ (this.root.querySelector("[data-filter]"))?.focus(),
        u: () => this.turnNext("undo"),
        U: () => this.turnNext("redo"),
        S: () => this.acceptReady(e),
      }[e.key];
      if (plain && this.delivery) {
        e.preventDefault();
        e.stopImmediatePropagation();
        return void plain();
      }
      if (e.key.startsWith("Arrow") && (cell || t === document.body)) {
        e.preventDefault();
        return this.step(cell, e.key);
      }
      if (this.open && e.key in letters) {
        e.preventDefault();
        return this.assign(this.about.set, this.about.map, letters[/** @type {keyof typeof letters} */ (e.key)]);
      }
      if (!cell || !row) return;
      if (e.key === "c") {
        e.preventDefault();
        return this.openRow(row.dataset.set ?? "");
      }
      if (e.key === "w" || e.key === "W") {
        e.preventDefault();
        if (document.getElementById("opened")?.dataset.of !== row.dataset.set) return this.openRow(row.dataset.set ?? ""); // seen before it is settled
        const known = e.key === "W" ? "separate" : this.root.querySelector("#opened [data-known=tier]") ? "tier" : "new_version";
        if (this.root.querySelector(`#opened [data-known=${known}]`)) return this.known(row.dataset.set, known);
        return;
      }
      if (e.key === "Enter" && (cell.dataset.cell !== undefined || cell.dataset.accept)) {
        e.preventDefault();
        this.step(cell, "ArrowDown");
        await this.take([Number(row.dataset.set)]);
      } else if (e.key === "l") {
        e.preventDefault();
        this.step(cell, "ArrowDown");
        await this.leave([Number(row.dataset.set)]);
      } else if (e.key === " " && cell.dataset.map) {
        e.preventDefault();
        await this.explain(cell);
      } else if (e.key in letters && cell.dataset.map) {
        e.preventDefault();
        await this.assign(row.dataset.set, cell.dataset.map, letters[/** @type {keyof typeof letters} */ (e.key)]);
      }
    },

    /**
     * Moves the focus from cell to cell.
     * @param {HTMLElement | null} from
     * @param {string} key
     */
    step(from, key) {
      const rows = [...this.root.querySelectorAll("tr[data-set]")].map((r) => /** @type {HTMLElement[]} */ ([...r.querySelectorAll("[data-cell], [data-accept], [data-return], [data-open-row]")])).filter((r) => r.length);
      if (!rows.length) return;
      let y = rows.findIndex((r) => from && r.includes(from));
      if (y < 0) return rows[0][0].focus();
      let x = rows[y].indexOf(/** @type {HTMLElement} */ (from));
      if (key === "ArrowLeft") x--;
      if (key === "ArrowRight") x++;
      if (key === "ArrowUp") y--;
      if (key === "ArrowDown") y++;
      const row = rows[Math.max(0, Math.min(rows.length - 1, y))];
      row[Math.max(0, Math.min(row.length - 1, x))].focus();
    },
  };
}
