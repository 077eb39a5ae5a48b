// @ts-check
// The Library's shelf: of a hundred thousand materials only those in sight are on the page. Rows above and below
// are room without contents; what comes into sight is fetched. Choosing and favourites live here too.
import { call, fail, fetched } from "./api.js";
import { island } from "./island.js";
import { keys } from "./keys.js";
import { dragging, shift } from "./ordering.js";

/** The chosen materials: release by material. Kept while filters change. @type {Map<string, string>} */
export const chosen = new Map();
/** Favourites. @type {Set<number> | null} */
let stars = null;
const told = () => dispatchEvent(new CustomEvent("chosen"));

const keysOnce = { done: false };

export function shelf() {
  return island({
    /** @type {HTMLElement} */ box: /** @type {any} */ (null),
    total: 0,
    columns: 1,
    height: 1, // of a row with its gap
    from: 0, // the first card on the page
    to: 0, // behind the last one
    asking: false, // whether cards are on their way
    answered: "", // what the cards on the page are the answer to
    /** @type {() => void} */ off: () => {},

    init() {
      this.box = /** @type {HTMLElement} */ (this.$root.querySelector("[data-cards]"));
      this.total = Number(this.$root.dataset.of);
      const page = Number(new URL(location.href).searchParams.get("page") ?? 1);
      this.from = (Math.max(page, 1) - 1) * 60;
      this.to = this.from + this.box.children.length;
      this.dress();
      const scrolled = () => this.sight();
      const sized = () => {
        this.measure();
        this.sight();
      };
      /** @param {Event} e */
      const again = (e) => {
        const img = /** @type {HTMLElement} */ (e.target);
        if (img instanceof HTMLImageElement && img.dataset.again !== undefined && this.box.contains(img)) setTimeout(() => (img.src = img.getAttribute("src") ?? ""), 3000);
      };
      addEventListener("scroll", scrolled, { passive: true });
      addEventListener("resize", sized);
      addEventListener("error", again, true);
      this.box.addEventListener("change", (e) => this.choose(e));
      this.box.addEventListener("click", (e) => this.star(e));
      dragging(this.$root);
      this.off = () => {
        removeEventListener("scroll", scrolled);
        removeEventListener("resize", sized);
        removeEventListener("error", again, true);
      };
      if (!keysOnce.done) {
        keysOnce.done = true;
        keys("Library", [
          { key: "ArrowRight", says: "move over the materials", run: (e) => walk(e, 1) },
          { key: "ArrowLeft", says: "move over the materials", run: (e) => walk(e, -1) },
          { key: "ArrowDown", says: "move over the materials", run: (e) => walk(e, 0, 1) },
          { key: "ArrowUp", says: "move over the materials", run: (e) => walk(e, 0, -1) },
          { key: "x", says: "choose the material", run: () => at((card) => /** @type {HTMLElement} */ (card.querySelector("[data-choose]")).click()) },
          { key: "f", says: "favourite, or no longer", run: () => at((card) => /** @type {HTMLElement} */ (card.querySelector("[data-star]")).click()) },
          { key: "<", says: "earlier in the collection", run: () => at((card) => shift(card, -1)) },
          { key: ">", says: "later in the collection", run: () => at((card) => shift(card, 1)) },
        ]);
      }
      if (this.total > this.to || page > 1) {
        document.querySelector("[data-pages]")?.remove();
        this.$root.dataset.virtual = "";
        this.measure();
        this.sight();
      }
      if (!stars) call("GET", "/api/v1/stars").then(({ items }) => {
        stars = new Set(items);
        this.dress();
      }, () => {});
    },
    destroy() {
      this.off();
    },

    /** Learns how many cards a row has, and how high it is. */
    measure() {
      const first = /** @type {HTMLElement | null} */ (this.box.firstElementChild);
      if (!first) return;
      const table = this.$root.dataset.shelf === "table";
      const style = getComputedStyle(this.box);
      this.columns = table ? 1 : style.gridTemplateColumns.split(" ").length;
      this.height = first.offsetHeight + (table ? 0 : parseFloat(style.rowGap) || 0);
    },

    /** Fills what is in sight, and a screen more either way. */
    async sight() {
      if (this.$root.dataset.virtual === undefined || !this.box.isConnected) return;
      const rows = Math.ceil(this.total / this.columns), { from, to } = this.wanted(rows, 0.5);
      this.room(rows);
      if (this.asking || (from >= this.from && to <= this.to)) return;
      const more = this.wanted(rows, 1), url = new URL("/library/cards" + location.search, location.href);
      url.searchParams.delete("page");
      url.searchParams.set("from", String(more.from));
      url.searchParams.set("n", String(more.to - more.from));
      if (url.href === this.answered) return; // the server has no more of them
      // One question at a time: after its answer, the next asks for what is in sight by then.
      this.asking = true;
      const text = await fetched(url).then((answer) => (answer.ok ? answer.text() : null)).catch(() => null); // a lost connection: scrolling asks again
      this.asking = false;
      if (text === null || !this.box.isConnected) return;
      const now = this.wanted(rows, 0);
      if (now.from < more.to && now.to > more.from) {
        this.answered = url.href;
        this.fill(text, more.from, rows);
      }
      this.sight();
    },

    /** The cards in sight and some screens more either way. @param {number} rows @param {number} screens */
    wanted(rows, screens) {
      const top = this.box.getBoundingClientRect().top + scrollY, spare = Math.ceil((innerHeight * screens) / this.height);
      const first = Math.max(0, Math.min(rows - 1, Math.floor((scrollY - top) / this.height) - spare));
      const last = Math.min(rows, Math.max(first + 1, Math.ceil((scrollY + innerHeight - top) / this.height) + spare));
      return { from: first * this.columns, to: Math.min(this.total, last * this.columns) };
    },

    /** Puts cards on the page, from one on. @param {string} text @param {number} from @param {number} rows */
    fill(text, from, rows) {
      const focused = /** @type {HTMLElement | null} */ (document.activeElement?.closest("[data-card]"))?.dataset.card;
      const fresh = document.createElement("template");
      fresh.innerHTML = text;
      // Cards that stay keep their elements, and with them their pictures.
      const have = new Map([...this.box.children].map((c) => [/** @type {HTMLElement} */ (c).dataset.card, c]));
      const next = [...fresh.content.children].map((c) => have.get(/** @type {HTMLElement} */ (c).dataset.card) ?? c);
      this.box.replaceChildren(...next);
      this.from = from;
      this.to = from + next.length;
      this.room(rows);
      this.dress();
      if (focused) /** @type {HTMLElement | null} */ (this.box.querySelector(`[data-card="${focused}"] .sample`))?.focus({ preventScroll: true });
    },

    /** Room above and below for what is not on the page. @param {number} rows */
    room(rows) {
      const base = this.$root.dataset.shelf === "table" ? 0 : 18;
      this.box.style.paddingTop = `${base + Math.floor(this.from / this.columns) * this.height}px`;
      this.box.style.paddingBottom = `${base + Math.max(0, rows - Math.ceil(this.to / this.columns)) * this.height}px`;
    },

    /** Shows which cards are chosen and which are favourites. */
    dress() {
      for (const c of this.box.children) {
        const card = /** @type {HTMLElement} */ (c), id = card.dataset.card ?? "";
        card.toggleAttribute("data-chosen", chosen.has(id));
        const box = /** @type {HTMLInputElement} */ (card.querySelector("[data-choose]")), star = /** @type {HTMLElement} */ (card.querySelector("[data-star]"));
        box.checked = chosen.has(id);
        const on = !!stars?.has(Number(id));
        star.setAttribute("aria-pressed", String(on));
        star.textContent = on ? "★" : "☆";
      }
    },

    /** @param {Event} e */
    choose(e) {
      const box = /** @type {HTMLInputElement} */ (e.target), card = /** @type {HTMLElement | null} */ (box.closest("[data-card]"));
      if (!card || box.dataset.choose === undefined) return;
      if (box.checked) chosen.set(card.dataset.card ?? "", card.dataset.release ?? "");
      else chosen.delete(card.dataset.card ?? "");
      this.dress();
      told();
    },

    /** @param {MouseEvent} e */
    async star(e) {
      const button = /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("[data-star]")), card = /** @type {HTMLElement | null} */ (button?.closest("[data-card]") ?? null);
      if (!card || !stars) return;
      const id = Number(card.dataset.card), on = !stars.has(id);
      if (on) stars.add(id);
      else stars.delete(id);
      this.dress();
      await call("POST", "/api/v1/stars", { material_id: id, on }).catch((/** @type {Error} */ x) => {
        if (on) stars?.delete(id);
        else stars?.add(id);
        this.dress();
        fail(x);
      });
    },
  });
}

/** Does something with the card that has the focus. @param {(card: HTMLElement) => unknown} act */
function at(act) {
  const card = /** @type {HTMLElement | null} */ (document.activeElement?.closest("[data-card]"));
  return card ? void act(card) : false;
}

/**
 * Moves the focus over the cards.
 * @param {KeyboardEvent} e
 * @param {number} across
 * @param {number} [down]
 */
function walk(e, across, down = 0) {
  const box = document.querySelector("[data-cards]");
  if (!box) return false;
  const all = /** @type {HTMLElement[]} */ ([...box.querySelectorAll(".sample")]);
  const now = all.indexOf(/** @type {HTMLElement} */ (document.activeElement?.closest("[data-card]")?.querySelector(".sample")));
  if (now < 0 && (down < 0 || /** @type {Element} */ (e.target).closest("details, input"))) return false;
  const columns = getComputedStyle(box).display === "grid" ? getComputedStyle(box).gridTemplateColumns.split(" ").length : 1;
  const next = all[now < 0 ? 0 : now + across + down * columns];
  if (!next) return false;
  next.focus({ preventScroll: true });
  next.scrollIntoView({ block: "nearest" });
}
