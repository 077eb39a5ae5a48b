// @ts-check
// Intake: cells, by key and by pointer: moving among them, their reasons, dragging a picture into another.
import { intakePart } from "./part.js";
import { call, fail, tell } from "./api.js";
import { keys } from "./keys.js";
import { letters, setOf, titles } from "./channels.js";

/** A part of Intake. */
export function cells() {
  return intakePart({
    open: false, // the reasons of a cell
    about: { title: "", file: "", facts: "", reasons: [], choices: [], map: "", set: "", maps: [], rivals: [], parts: [], size: { width: 1, height: 1, known: false } },
    beside: "", // the map that is shown beside it
    component: "",

    /** Shows a cell's map large, beside the reasons. @param {HTMLElement} cell */
    async explain(cell) {
      const id = Number(cell.dataset.map);
      const set = await call("GET", `/api/v1/materials/${setOf(cell)}`).catch((/** @type {Error} */ x) => fail(x, () => this.explain(cell)));
      if (!set) return;
      const m = set.maps.find((/** @type {any} */ m) => m.id === id);
      const dir = m?.direction === "y-" ? ", pointing down (Y−)" : m?.direction === "y+" ? ", pointing up (Y+)" : "";
      this.about = {
        map: String(id),
        set: String(set.id),
        title: m ? titles[/** @type {keyof typeof titles} */ (m.channel)] + dir : "Unassigned",
        file: cell.title,
        facts: m ? `${m.width} × ${m.height} px, ${m.bits} bit${m.component === "rgb" || m.stats.mean.length === 1 ? "" : `, component ${m.component}`}. Confidence ${Math.round(100 * m.confidence)} %.` : "Drag it into a cell, or choose a channel:",
        reasons: (m?.reasons ?? []).map((/** @type {any} */ r) => ({
          says: r.says,
          word: `${Math.abs(r.weight).toFixed(2)} ${r.weight < 0 ? "against" : "for"}`,
          tone: r.weight < 0 ? "stop" : "good",
        })).concat(set.findings.filter((/** @type {any} */ f) => f.severity !== "note" && f.maps.includes(cell.title)).map((/** @type {any} */ f) => ({ says: f.says, word: "to check", tone: "doubt" }))),
        ...this.lookable(cell, set, m),
        choices: Object.values(letters).map((c) => ({ id: c, title: titles[/** @type {keyof typeof titles} */ (c)] })).filter((c) => c.id !== m?.channel),
      };
      this.open = true;
      await this.$nextTick(); // its size is known once it shows
      this.besideCell(cell);
      await this.closer(false);
    },

    /** Puts the box below its cell, or above. @param {Element | null} [cell] */
    besideCell(cell) {
      const by = cell ?? this.root.querySelector(`[data-cell][data-map="${this.about.map}"]`);
      if (!by) return;
      const at = by.getBoundingClientRect(), box = this.$refs.says;
      box.style.left = `${Math.max(8, Math.min(at.left + scrollX, document.documentElement.clientWidth - box.offsetWidth - 8))}px`;
      const below = at.bottom + 8 + box.offsetHeight < innerHeight || at.top < box.offsetHeight;
      box.style.top = `${scrollY + Math.max(8, below ? at.bottom + 8 : at.top - 8 - box.offsetHeight)}px`;
    },

    /**
     * What of a set can be looked at closely. @param {HTMLElement} cell @param {any} set @param {any} m the cell's map
     * @returns {Pick<Intake["about"], "maps" | "rivals" | "parts" | "size">}
     */
    lookable(cell, set, m) {
      const cells = /** @type {HTMLElement[]} */ ([...(cell.closest("tr")?.querySelectorAll("[data-cell][data-map]") ?? [])]);
      const maps = cells.map((c) => {
        const k = set.maps.find((/** @type {any} */ o) => String(o.id) === c.dataset.map);
        return { id: Number(c.dataset.map), at: `/maps/${c.dataset.map}`, channel: k?.channel ?? "", title: k ? titles[/** @type {keyof typeof titles} */ (k.channel)] ?? "Unassigned" : "Unassigned", kind: "", w: k?.width ?? 0, h: k?.height ?? 0, float: false, parts: 0, before: 0, zero: 0, file: c.title };
      });
      const words = [["r", "red"], ["g", "green"], ["b", "blue"]], wide = m?.width ?? 1, high = m?.height ?? 1;
      this.component = this.beside = "";
      return {
        maps, rivals: maps.filter((k) => String(k.id) !== cell.dataset.map),
        parts: m && m.component === "rgb" && m.stats.mean.length >= 3 ? words : [],
        size: set.width_m ? { width: set.width_m, height: set.height_m, known: true } : { width: 1, height: high / wide, known: false },
      };
    },

    /** Shows the map, and the one beside it. @param {boolean} stay the view stays */
    async closer(stay) {
      const { Closer, twin } = await import("./closer.js"), { maps, rivals, map, size, file } = this.about;
      if (!this.look) this.look = Object.assign(new Closer(this.$refs.closer), { __v_skip: true });
      const own = maps.find((k) => String(k.id) === map), apart = (/** @type {{channel: string} | undefined} */ k) => !k || !k.channel || k.channel === "none";
      // Of two files that may be the same map, one is unassigned.
      const alike = rivals.filter((k) => apart(own) !== apart(k)), like = twin(file, alike.map((k) => k.file));
      if (!stay) this.beside = String(alike.find((k) => k.file === like)?.id ?? "");
      const missing = await this.look.show(maps.filter((k) => String(k.id) === map).concat(maps.filter((k) => String(k.id) === this.beside)), size, stay);
      for (const title of missing) fail(`The ${title.toLowerCase()} map could not be loaded. It may still be in the making.`, () => this.closer(true));
    },
    /** @type {import("./closer.js").Closer | null} */ look: null,
    /** Closes the closer look; the focus goes back to its cell. */
    shut() {
      this.open = false;
      if (this.$refs.says.contains(document.activeElement)) /** @type {HTMLElement | null} */ (this.root.querySelector(`[data-cell][data-map="${this.about.map}"]`))?.focus();
    },
    chooseBeside() { return this.closer(true); },
    chooseComponent() { this.look?.component(this.component); },
    showWhole() { this.look?.fit(); },

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
      if (setOf(td) !== set) return tell("A map can only be moved within its set.");
      if (td.dataset.column) await this.assign(set, map, td.dataset.column);
      else if (td.querySelector("[data-loose]")) await this.assign(set, map, "");
    },

    /** Keys of the filter while somebody types in it. @param {KeyboardEvent} e */
    filterKey(e) {
      if (!["Enter", "Escape", "ArrowDown"].includes(e.key)) return;
      e.preventDefault();
      if (e.key === "Escape") {
        /** @type {HTMLInputElement} */ (e.target).value = "";
        this.filterSoon();
      }
      this.step(null, "");
    },

    cellKeys() {
      const at = (/** @type {KeyboardEvent} */ e) => /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("[data-cell], [data-accept], [data-return], [data-open-row]"));
      /** An action on the set of the cell that has the focus. @param {(set: string, cell: HTMLElement) => unknown} act */
      const onSet = (act) => (/** @type {KeyboardEvent} */ e) => {
        const cell = at(e);
        return cell && setOf(cell) ? act(setOf(cell), cell) : false;
      };
      const move = (/** @type {KeyboardEvent} */ e) => (at(e) || e.target === document.body ? this.step(at(e), e.key) : false);
      keys("Intake", [
        { key: "j", says: "next to check", run: () => (this.delivery ? this.next() : false) },
        ...["ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"].map((key) => ({ key, says: key === "ArrowUp" ? "from cell to cell" : "", run: move })),
        { key: "Enter", says: "accept the set", run: onSet((set, cell) => (cell.dataset.cell !== undefined || cell.dataset.accept ? this.decide(cell, () => this.take([Number(set)])) : false)) },
        { key: "l", says: "leave the set out", run: onSet((set, cell) => this.decide(cell, () => this.leave([Number(set)]))) },
        { key: "S", says: "accept all that are ready", run: (e) => (this.delivery ? this.acceptReady(e) : false) },
        { key: " ", says: "a cell's map and reasons; again: look closer", run: onSet((_, cell) => (!cell.dataset.map ? false : this.open && this.about.map === cell.dataset.map ? this.$refs.closer.focus() : this.explain(cell))) },
        { key: "c", says: "the checks of a set", run: onSet((set) => this.openRow(set)) },
        { key: "w", says: "known already: use as new version or smaller tier", run: onSet((set) => this.settle(set, "w")) },
        { key: "W", says: "known already: different material", run: onSet((set) => this.settle(set, "W")) },
        { key: "f", says: "show only sets with …", run: () => /** @type {HTMLElement | null} */ (this.root.querySelector("[data-filter]"))?.focus() },
        { key: "u", says: "undo", run: () => (this.delivery ? this.turnNext("undo") : false) },
        { key: "U", says: "redo", run: () => (this.delivery ? this.turnNext("redo") : false) },
        { key: "Escape", scope: "reasons", says: "close the reasons", run: () => (this.open ? this.shut() : false) },
        { key: "a", says: "the same for all named so, when it is offered" },
        { key: "A", says: "always for this station, when it is offered" },
        { key: "R", says: "release what was just accepted, when it is offered" },
      ]);
      keys("Intake, this picture is", Object.entries(letters).map(([key, channel]) => ({
        key,
        scope: "map",
        says: titles[/** @type {keyof typeof titles} */ (channel)].toLowerCase(),
        run: (e) => {
          const cell = at(e);
          if (this.open) return this.assign(this.about.set, this.about.map, channel);
          return cell?.dataset.map && setOf(cell) ? this.assign(setOf(cell), cell.dataset.map, channel) : false;
        },
      })));
    },

    /** The next row has the focus before this one is gone. @param {HTMLElement} cell @param {() => unknown} act */
    decide(cell, act) {
      this.step(cell, "ArrowDown");
      return act();
    },

    /** A scan that is known already: its checks are opened first, so that it is seen before it is settled. @param {string} set @param {string} key */
    settle(set, key) {
      if (document.getElementById("opened")?.dataset.of !== set) return this.openRow(set);
      const known = key === "W" ? "separate" : this.root.querySelector("#opened [data-known=tier]") ? "tier" : "new_version";
      return this.root.querySelector(`#opened [data-known=${known}]`) ? this.known(set, known) : false;
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
  });
}
