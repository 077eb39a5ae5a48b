// @ts-check
// The Library's shelf: of a hundred thousand materials only those in sight are on the page. Rows above and below
// are room without contents; what comes into sight is fetched. Favourites live here too.
import { call, fail, fetched } from "./api.js";
import { choosing } from "./choosing.js";
import { island } from "./island.js";
import { keys } from "./keys.js";
import { dragging, shift } from "./ordering.js";
import { draw, draws, state } from "./state.js";

const keysOnce = { done: false };

/** The address of the list that is shown, without where in it one is. */
const list = () => {
  const url = new URL(location.href);
  for (const view of ["page", "extent"]) url.searchParams.delete(view);
  return url.search;
};

export function shelf() {
  return island({
    /** @type {HTMLElement} */ root: /** @type {any} */ (null),
    /** @type {HTMLElement} */ box: /** @type {any} */ (null),
    total: 0,
    columns: 1,
    height: 1, // of a row with its gap
    from: 0, // the first card on the page
    to: 0, // behind the last one
    asking: false, // whether cards are on their way
    answered: "", // what the cards on the page are the answer to
    list: "", // the list that they are of
    stale: false, // whether the server has news of what is shown
    html: /** @type {Map<string, string>} */ (new Map()), // of each card, as the server sent it
    /** @type {() => void} */ off: () => {},

    init() {
      this.box = /** @type {HTMLElement} */ (this.$root.querySelector("[data-cards]"));
      this.root = this.$root;
      this.begin();
      this.root.addEventListener("renewed", (e) => this.renew(/** @type {CustomEvent<HTMLElement>} */ (e).detail));
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
      this.box.addEventListener("click", (e) => this.star(e));
      dragging(this.root);
      this.off = () => {
        removeEventListener("scroll", scrolled);
        removeEventListener("resize", sized);
        removeEventListener("error", again, true);
      };
      if (!keysOnce.done) {
        keysOnce.done = true;
        choosing("Library", "material");
        draws(dress);
        keys("Library", [
          { key: "ArrowRight", says: "move over the materials", run: (e) => walk(e, 1) },
          { key: "ArrowLeft", says: "move over the materials", run: (e) => walk(e, -1) },
          { key: "ArrowDown", says: "move over the materials", run: (e) => walk(e, 0, 1) },
          { key: "ArrowUp", says: "move over the materials", run: (e) => walk(e, 0, -1) },
          { key: "f", says: "favourite, or no longer", run: () => at((card) => /** @type {HTMLElement} */ (card.querySelector("[data-star]")).click()) },
          { key: "<", says: "earlier in the collection", run: () => at((card) => shift(card, -1)) },
          { key: ">", says: "later in the collection", run: () => at((card) => shift(card, 1)) },
        ]);
      }
      if (!state.stars) call("GET", "/api/v1/stars").then(({ items }) => {
        state.stars = new Set(items);
        draw();
      }, () => {});
    },

    /** The list begins with the cards that the server sent. */
    begin() {
      this.total = Number(this.root.dataset.of);
      const page = Number(new URL(location.href).searchParams.get("page") ?? 1);
      this.from = (Math.max(page, 1) - 1) * 60;
      this.to = this.from + this.box.children.length;
      this.list = list();
      this.answered = "";
      this.stale = false;
      if (!this.html.size) for (const c of this.box.children) this.html.set(c.id, c.outerHTML);
      delete this.root.dataset.virtual;
      this.box.style.paddingTop = this.box.style.paddingBottom = "";
      if (this.total > this.to || page > 1) {
        document.querySelector("[data-pages]")?.remove();
        this.root.dataset.virtual = "";
        this.measure();
        this.sight();
      }
    },

    /** The server has another list, or news of this one: that is asked for where one is. @param {HTMLElement} fresh */
    renew(fresh) {
      this.root.dataset.of = fresh.dataset.of;
      if (list() !== this.list) {
        this.put([.../** @type {HTMLElement} */ (fresh.querySelector("[data-cards]")).children]);
        this.begin();
        const top = this.root.getBoundingClientRect().top + scrollY;
        if (scrollY > top) scrollTo(0, Math.max(0, top - 80)); // another list begins at its beginning
        return;
      }
      this.total = Number(fresh.dataset.of);
      if (this.root.dataset.virtual === undefined && this.total <= fresh.querySelectorAll("[data-card]").length) {
        this.put([.../** @type {HTMLElement} */ (fresh.querySelector("[data-cards]")).children]);
        this.to = this.from + this.box.children.length;
        return;
      }
      document.querySelector("[data-pages]")?.remove();
      this.root.dataset.virtual = "";
      this.stale = true;
      this.measure();
      this.sight();
    },

    destroy() {
      this.off();
    },

    /** Learns how many cards a row has, and how high it is. */
    measure() {
      const first = /** @type {HTMLElement | null} */ (this.box.firstElementChild);
      if (!first) return;
      const table = this.root.dataset.shelf === "table";
      const style = getComputedStyle(this.box);
      this.columns = table ? 1 : style.gridTemplateColumns.split(" ").length;
      this.height = first.offsetHeight + (table ? 0 : parseFloat(style.rowGap) || 0);
    },

    /** Fills what is in sight, and a screen more either way. */
    async sight() {
      if (this.root.dataset.virtual === undefined || !this.box.isConnected) return;
      const rows = Math.ceil(this.total / this.columns), { from, to } = this.wanted(rows, 0.5);
      this.room(rows);
      if (this.asking || (!this.stale && from >= this.from && to <= this.to)) return;
      const more = this.wanted(rows, 1), url = new URL("/library/cards" + location.search, location.href);
      url.searchParams.delete("page");
      url.searchParams.set("from", String(more.from));
      url.searchParams.set("n", String(more.to - more.from));
      if (url.href === this.answered && !this.stale) return; // the server has no more of them
      // One question at a time: after its answer, the next asks for what is in sight by then.
      const of = this.list;
      this.asking = true;
      this.stale = false;
      const text = await fetched(url).then((answer) => (answer.ok ? answer.text() : null)).catch(() => null); // a lost connection: scrolling asks again
      this.asking = false;
      if (text === null) this.stale = true;
      if (text === null || !this.box.isConnected) return;
      const rowsNow = Math.ceil(this.total / this.columns), now = this.wanted(rowsNow, 0);
      if (of === this.list && now.from < more.to && now.to > more.from) { // not of the list before
        this.answered = url.href;
        this.fill(text, more.from, rowsNow);
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
      const fresh = document.createElement("template");
      fresh.innerHTML = text;
      this.put([...fresh.content.children]);
      this.from = from;
      this.to = from + this.box.children.length;
      this.room(rows);
    },

    /** Puts cards on the page. Those that are as they were keep their elements, and with them their pictures. @param {Element[]} cards */
    put(cards) {
      const focused = /** @type {HTMLElement | null} */ (document.activeElement?.closest("[data-card]"))?.id;
      const html = new Map(cards.map((c) => [c.id, c.outerHTML]));
      this.box.replaceChildren(...cards.map((c) => {
        const old = document.getElementById(c.id);
        return old && this.html.get(c.id) === html.get(c.id) ? old : c;
      }));
      this.html = html;
      draw(this.root);
      if (focused) /** @type {HTMLElement | null} */ (document.getElementById(focused)?.querySelector(".sample"))?.focus({ preventScroll: true });
    },

    /** Room above and below for what is not on the page. @param {number} rows */
    room(rows) {
      const base = this.root.dataset.shelf === "table" ? 0 : 18;
      this.box.style.paddingTop = `${base + Math.floor(this.from / this.columns) * this.height}px`;
      this.box.style.paddingBottom = `${base + Math.max(0, rows - Math.ceil(this.to / this.columns)) * this.height}px`;
    },

    /** @param {MouseEvent} e */
    async star(e) {
      const button = /** @type {HTMLElement | null} */ (/** @type {Element} */ (e.target).closest("[data-star]")), card = /** @type {HTMLElement | null} */ (button?.closest("[data-card]") ?? null);
      if (!card || !state.stars) return;
      const id = Number(card.dataset.card), on = !state.stars.has(id);
      starred(id, on);
      await call("POST", "/api/v1/stars", { material_id: id, on }).catch((/** @type {Error} */ x) => {
        starred(id, !on);
        fail(x);
      });
    },
  });
}

/** Makes a material a favourite, or no longer. @param {number} id @param {boolean} on */
function starred(id, on) {
  if (on) state.stars?.add(id);
  else state.stars?.delete(id);
  draw();
}

/** Shows which cards are favourites; until that is known they can't be pressed. @param {ParentNode} root */
function dress(root) {
  for (const e of root.querySelectorAll("[data-card] [data-star]")) {
    const star = /** @type {HTMLButtonElement} */ (e), on = !!state.stars?.has(Number(/** @type {HTMLElement} */ (star.closest("[data-card]")).dataset.card));
    star.disabled = !state.stars;
    star.setAttribute("aria-pressed", String(on));
    star.textContent = on ? "★" : "☆";
  }
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
