// @ts-check
// Intake: dropping deliveries, and deciding on sets by mouse or keyboard.
import { intakePart } from "./part.js";
import { call, tell } from "./api.js";
import { cells } from "./cells.js";
import { setOf } from "./channels.js";
import { deciding } from "./deciding.js";
import { many } from "./sets.js";
import { parts } from "./parts.js";
import { sending } from "./sending.js";
import { interrupted } from "./upload.js";


/** @returns {Intake} */
export function intake() {
  /** @type {any} */ const it = {};
  // Getters stay getters.
  for (const part of [triage(), sending(), cells(), deciding(), many()]) Object.defineProperties(it, Object.getOwnPropertyDescriptors(part));
  return it;
}

/** What is shown, and what is pressed. */
function triage() {
  return intakePart({
    /** @type {any} */ root: null, // $root is lost to a method whose element was replaced
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
      this.cellKeys();
      this.chooseMany();
      this.root.addEventListener("keydown", (/** @type {KeyboardEvent} */ e) => /** @type {Element} */ (e.target).matches("[data-filter]") && this.filterKey(e));
      this.root.addEventListener("dragover", (/** @type {DragEvent} */ e) => this.aim(e));
      this.root.addEventListener("drop", (/** @type {DragEvent} */ e) => this.land(e));
      this.root.addEventListener("dragstart", (/** @type {DragEvent} */ e) => this.lift(e));
      this.root.addEventListener("input", (/** @type {Event} */ e) => {
        const t = /** @type {HTMLInputElement} */ (e.target);
        if (t.matches("[data-filter]")) this.filterSoon();
        if (t.matches("[data-find-delivery]")) this.findDelivery(t.value.trim());
      });
      this.root.addEventListener("submit", (/** @type {SubmitEvent} */ e) => this.submitted(e));
      this.root.addEventListener("change", (/** @type {Event} */ e) => {
        const t = /** @type {HTMLInputElement} */ (e.target);
        if (t.dataset.resend && t.files?.length) this.resend(t.dataset.resend, t.files[0]);
      });
      this.waiting = interrupted();
      this.$watch("open", (on) => this.$refs.says.togglePopover(on));
      addEventListener("resize", () => this.open && this.besideCell());
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

    /** A form of the page: an answer, or maps that are moved. @param {SubmitEvent} e */
    async submitted(e) {
      const form = /** @type {HTMLFormElement} */ (e.target);
      const d = form.dataset;
      if ("bulk" in d) return this.decideMany(e);
      if (!("question" in d || "apart" in d || "merge" in d)) return;
      e.preventDefault();
      const to = /** @type {HTMLSelectElement | null} */ (form.querySelector("[data-to]"))?.value ?? "";
      const set = document.getElementById("opened")?.dataset.of ?? "";
      const keep = /** @type {HTMLInputElement | null} */ (form.querySelector("[data-keep]"))?.checked ?? false;
      if (d.question) await this.answer(d.question, /** @type {HTMLSelectElement} */ (form.querySelector("[data-meaning]")).value, keep);
      else if ("merge" in d) await this.move(set, null, to);
      else await this.move(set, [...form.querySelectorAll("input:checked")].map((i) => Number(/** @type {HTMLInputElement} */ (i).value)), to);
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

    /** Finds deliveries by name. @param {string} text */
    findDelivery(text) {
      clearTimeout(this.filtering);
      this.filtering = window.setTimeout(() => {
        const url = this.delivery ? this.address : new URL(location.href);
        url.searchParams.delete("page");
        if (text) url.searchParams.set("find", text);
        else url.searchParams.delete("find");
        history.replaceState(null, "", url);
        parts(url.href, "deliveries");
      }, 120);
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

    /** A row was opened, or the box of reasons was: that one closes with Escape and a press beside it. @param {ToggleEvent} e */
    fold(e) {
      this.open = e.target === this.$refs.says && e.newState === "open";
    },
  });
}
