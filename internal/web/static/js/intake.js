// @ts-check
// Intake: dropping deliveries, and deciding on sets by mouse or keyboard.
import { call, fail, tell, turn } from "./api.js";
import { parts } from "./parts.js";
import { forget, interrupted, send } from "./upload.js";

const letters = { b: "base_color", n: "normal", r: "roughness", m: "metallic", h: "height", o: "occlusion", g: "glossiness", y: "opacity", e: "emissive", s: "specular", t: "transmission", k: "mask", x: "" };
const titles = { base_color: "Base colour", normal: "Normal", roughness: "Roughness", metallic: "Metallic", height: "Height", occlusion: "Occlusion", glossiness: "Glossiness", opacity: "Opacity", emissive: "Emissive", specular: "Specular", transmission: "Transmission", mask: "Mask", "": "Unassigned" };

/** @returns {any} */
export function intake() {
  return {
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
    hovering: false,
    open: false,
    about: { title: "", file: "", facts: "", reasons: [], choices: [], map: "", set: "" },
    sending: false,
    sendingName: "",
    sendingLine: "",
    sendingPercent: 0,
    trouble: "",
    waiting: 0, // files of an interrupted upload
    timer: 0,
    filtering: 0,

    get delivery() {
      return this.root.dataset.delivery;
    },

    /** The version of the delivery that is shown. */
    get shown() {
      return /** @type {HTMLElement | null} */ (this.root.querySelector("[data-delivery-version]"))?.dataset.deliveryVersion;
    },

    /**
     * The version of a set that is shown.
     * @param {string | number} set
     */
    version(set) {
      return Number(/** @type {HTMLElement | null} */ (this.root.querySelector(`[data-set="${set}"]`))?.dataset.version);
    },

    /** Sets as they are shown. @param {number[]} sets */
    seen(sets) {
      return sets.map((id) => ({ id, version: this.version(id) }));
    },

    init() {
      this.root = this.$root;
      this.root.addEventListener("dragover", (/** @type {DragEvent} */ e) => this.aim(e));
      this.root.addEventListener("drop", (/** @type {DragEvent} */ e) => this.land(e));
      this.root.addEventListener("dragstart", (/** @type {DragEvent} */ e) => this.lift(e));
      this.root.addEventListener("input", (/** @type {Event} */ e) => {
        if (/** @type {Element} */ (e.target).matches("[data-filter]")) this.filterSoon();
      });
      this.root.addEventListener("change", (/** @type {Event} */ e) => {
        const t = /** @type {HTMLInputElement} */ (e.target);
        if (t.dataset.resend && t.files?.length) this.resend(t.dataset.resend, t.files[0]);
      });
      this.waiting = interrupted();
      document.addEventListener("click", (e) => {
        if (!(/** @type {Element} */ (e.target).closest(".says, [data-cell]"))) this.open = false;
      });
    },

    /** One listener for two hundred rows. @param {MouseEvent} e */
    async click(e) {
      const t = /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("[data-cell], [data-accept], [data-leave], [data-return], [data-accept-ready], [data-step], [data-retry], [data-next], [data-assign], [data-known], [data-beside], [data-tab], [data-further], [data-open-row]"));
      if (!t) return;
      const d = t.dataset;
      if (d.cell !== undefined) await this.explain(t);
      else if (d.accept) await this.take([Number(d.accept)]);
      else if (d.leave) await this.leave([Number(d.leave)]);
      else if (d.return) await this.leave([Number(d.return)], true);
      else if (d.acceptReady !== undefined) await this.acceptReady(e);
      else if (d.step) await this.back(d.step, /** @type {"undo" | "redo"} */ (d.way));
      else if (d.retry !== undefined) await this.retry();
      else if (d.next !== undefined) this.next();
      else if ("beside" in d) /** @type {HTMLDialogElement} */ (/** @type {Element} */ (t.closest("td")).querySelector("dialog")).showModal();
      else if (d.openRow) await this.openRow(d.openRow);
      else if ((d.tab || "further" in d) && t instanceof HTMLAnchorElement) await this.follow(e, t);
      else if (d.known) await this.known(setOf(t), d.known);
      else if (d.assign !== undefined) await this.assign(this.about.set, this.about.map, d.assign);
    },

    /** What is shown of the delivery is in the address: list, filter, open row, number of rows. */
    get address() {
      const url = new URL(location.href);
      url.pathname = `/intake/${this.delivery}`;
      return url;
    },

    /**
     * Shows the delivery otherwise.
     * @param {Record<string, string>} change of the address; empty takes a value away
     */
    async show(change) {
      const url = this.address;
      for (const [k, v] of Object.entries(change)) {
        if (v) url.searchParams.set(k, v);
        else url.searchParams.delete(k);
      }
      history.replaceState(null, "", url);
      await parts(url.href, "triage");
    },

    filterSoon() {
      clearTimeout(this.filtering);
      this.filtering = window.setTimeout(() => this.show({ q: this.root.querySelector("[data-filter]").value.trim(), rows: "", open: "" }), 80);
    },

    /** Follows a link to another list, or to more rows. @param {MouseEvent} e @param {HTMLAnchorElement} a */
    async follow(e, a) {
      if (e.ctrlKey || e.metaKey || e.shiftKey) return;
      e.preventDefault();
      history.replaceState(null, "", a.href);
      await parts(a.href, "triage");
    },

    /** Opens the checks of a set below its row, or closes them. @param {string} set */
    async openRow(set) {
      const row = this.root.querySelector(`tr[data-set="${set}"]`);
      const was = document.getElementById("opened");
      const open = was?.dataset.of !== set;
      was?.remove();
      for (const r of this.root.querySelectorAll("tr[data-open]")) {
        r.removeAttribute("data-open");
        r.querySelector("[data-open-row]")?.setAttribute("aria-expanded", "false");
      }
      const url = this.address;
      url.searchParams.delete("open");
      if (open) url.searchParams.set("open", set);
      history.replaceState(null, "", url);
      if (!open || !row) return;
      row.setAttribute("data-open", "");
      row.querySelector("[data-open-row]")?.setAttribute("aria-expanded", "true");
      const below = document.createElement("tr");
      Object.assign(below, { id: "opened", className: "opened", role: "row" });
      below.dataset.of = set;
      row.after(below);
      await parts(url.href, "opened");
    },

    /** Goes to the next cell that somebody must look at. */
    next() {
      const cells = /** @type {HTMLElement[]} */ ([...this.root.querySelectorAll("tr[data-set] .cell.doubt, tr[data-doubts] [data-accept]")]);
      const check = this.root.querySelector("[data-tab=check]");
      if (!cells.length && check && !check.hasAttribute("aria-current") && !check.textContent.trim().endsWith(" 0")) return this.show({ show: "check", open: "", rows: "" }).then(() => this.next());
      if (!cells.length) return tell("Nothing here is left to check.");
      const now = document.activeElement;
      const after = cells.find((c) => now && now !== document.body && now.compareDocumentPosition(c) & Node.DOCUMENT_POSITION_FOLLOWING);
      (after ?? cells[0]).focus();
      (after ?? cells[0]).scrollIntoView({ block: "nearest" });
    },

    // Changes from elsewhere.

    /** @param {CustomEvent<string[]>} e */
    heard(e) {
      const mine = e.detail.some((t) => t === "deliveries" || t === `delivery:${this.delivery}`);
      if (!mine) return;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => this.reload(), 150);
    },

    async reload() {
      if (!this.delivery) {
        // The first delivery turns the empty page into a full one.
        const answer = await call("GET", "/api/v1/deliveries");
        if (answer.items.length) location.href = `/intake/${answer.items[0].id}`;
        return;
      }
      await parts(() => this.address.href, "deliveries", "triage");
    },

    fold() {
      this.open = false;
    },

    // Sending.

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
        const answer = await fetch(`/api/v1/deliveries/${this.delivery}/file?path=${encodeURIComponent(path)}`, { method: "PUT", body: file, headers: { "Content-Type": "application/octet-stream", "If-Match": `"${this.shown}"` } });
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

    // Reasons.

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

    // Deciding.

    /**
     * @param {string} set
     * @param {string} map
     * @param {string} channel
     */
    async assign(set, map, channel) {
      this.open = false;
      const name = titles[/** @type {keyof typeof titles} */ (channel)].toLowerCase();
      try {
        const m = await call("PUT", `/api/v1/materials/${set}/maps/${map}`, { channel: channel || null }, this.version(set));
        const like = await call("GET", `/api/v1/maps/${map}/like?channel=${channel}`);
        const more = [];
        const all = (/** @type {boolean} */ keep) => this.all({ id: m.id, version: m.version }, map, channel, keep);
        if (like.maps.length) more.push({ word: `All ${like.maps.length} more ending in “${like.ending}”`, key: "a", act: () => all(false) });
        if (like.ending && channel) more.push({ word: like.station ? `Always for ${like.station}` : "Always", key: "A", act: () => all(true) });
        const { items } = await call("GET", "/api/v1/rules/proposals");
        const proposed = items.find((/** @type {any} */ r) => r.ending === like.ending && r.station === like.station && r.channel === channel);
        const times = proposed ? ` Corrected so in ${proposed.times} materials: make it a rule?` : "";
        const warns = like.warnings.length ? ` But ${like.warnings[0]}` : "";
        tell((channel ? `Taken as ${name}.` : "Unassigned.") + warns + times, m.step ? () => this.back(m.step) : null, more);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * The same for the whole delivery, and with keep for the station's next ones.
     * @param {{id: number, version: number}} material that the map is of
     * @param {string} map
     * @param {string} channel
     * @param {boolean} keep
     */
    async all(material, map, channel, keep) {
      const name = titles[/** @type {keyof typeof titles} */ (channel)].toLowerCase();
      try {
        const like = await call("POST", `/api/v1/maps/${map}/like`, { material: material.id, channel: channel || null, keep }, material.version);
        tell(`${like.maps.length} more taken as ${name}${keep ? `; saved as a rule for ${like.station || "every station"}` : ""}.`, like.step ? () => this.back(like.step) : null);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * @param {number | string} step
     * @param {"undo" | "redo"} [way]
     */
    async back(step, way = "undo") {
      this.open = false;
      try {
        await turn(step, way);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /** The step that a key would undo or redo. @param {"undo" | "redo"} way */
    async turnNext(way) {
      const step = /** @type {HTMLElement | null} */ (this.root.querySelector(`[data-way=${way}]`))?.dataset.step;
      if (step) await this.back(step, way);
      else tell(way === "undo" ? "There is nothing of yours to undo here." : "There is nothing of yours to redo here.");
    },

    /**
     * @param {number[]} sets
     * @param {boolean} [undo]
     */
    async leave(sets, undo = false) {
      this.open = false;
      try {
        const { step } = await call("POST", `/api/v1/deliveries/${this.delivery}/leave`, { materials: this.seen(sets), undo }, "*");
        tell(undo ? "Put back." : "Left out.", () => this.back(step));
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * Settles what becomes of a set whose scan is here already.
     * @param {string | undefined} set
     * @param {string} take
     */
    async known(set, take) {
      try {
        const { name, step } = await call("POST", `/api/v1/materials/${set}/known`, { take }, this.version(set ?? ""));
        const says = take === "separate" ? "Taken as a different material." : take === "tier" ? `Kept as a smaller tier of ${name}.` : `New version of ${name}; release it on the Bench.`;
        tell(says, step ? () => this.back(step) : null);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /** @param {number[]} sets */
    async take(sets) {
      this.open = false;
      try {
        const { step } = await call("POST", `/api/v1/deliveries/${this.delivery}/accept`, { materials: this.seen(sets) }, "*");
        this.accepted(sets, step);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /** @param {Event} e */
    async acceptReady(e) {
      e.preventDefault();
      try {
        const { materials, step } = await call("POST", `/api/v1/deliveries/${this.delivery}/accept`, { ready: true }, this.shown);
        this.accepted(materials, step);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * @param {number[]} sets
     * @param {number} step
     */
    accepted(sets, step) {
      tell(sets.length === 1 ? "Accepted; it is on the Bench." : `${sets.length} sets accepted; they are on the Bench.`, step ? () => this.back(step) : null);
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

    // Keys.

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

/** The set that a row, or what is opened below it, is about. @param {Element} e */
const setOf = (e) => {
  const row = /** @type {HTMLElement | null} */ (e.closest("[data-set], [data-of]"));
  return row?.dataset.set ?? row?.dataset.of ?? "";
};
