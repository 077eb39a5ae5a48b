// @ts-check
// What every page has: the search field, what is running, light and dark, keys,
// notices with undo, and the stream of changes.
import { fail } from "./api.js";
import { keys, letters, listed, otherKeys, setLetters } from "./keys.js";
import { anythingUnsent } from "./state.js";
import "./selects.js";
import { listen } from "./stream.js";

/** @typedef {{word: string, key: string, act: () => Promise<void>}} Action */

/** What the last notice offers to do. @type {Action[]} */
let actions = [];
/** What the errors that are shown can try again, by their ids. @type {Map<number, () => unknown>} */
const retries = new Map();

export function shell() {
  return {
    notice: "",
    /** @type {(() => Promise<void>) | null} */
    way: null,
    undoable: false,
    // What else could be done: words and keys of at most two actions.
    first: "",
    firstKey: "",
    second: "",
    secondKey: "",
    timer: 0,
    /** What went wrong, until it is closed or tried again. @type {{id: number, text: string, again: boolean}[]} */
    errors: [],
    signedOut: false,
    offline: false,
    waiting: 0,

    init() {
      // Dates and times are written in the reader's zone from the next page on.
      document.cookie = `zone=${encodeURIComponent(Intl.DateTimeFormat().resolvedOptions().timeZone)}; path=/; max-age=31536000; samesite=lax`;
      addEventListener("tell", (e) => this.say(/** @type {CustomEvent} */ (e).detail));
      addEventListener("fail", (e) => this.keep(/** @type {CustomEvent} */ (e).detail));
      // What no handler caught is said too: a control that does nothing in silence looks as if it had worked.
      addEventListener("unhandledrejection", (e) => e.reason?.name !== "AbortError" && fail(e.reason));
      addEventListener("mended", (e) => (this.errors = this.errors.filter((/** @type {{text: string}} */ k) => k.text !== /** @type {CustomEvent} */ (e).detail)));
      addEventListener("signed-out", () => (this.signedOut = true));
      this.nameTheme();
      if (document.querySelector("[data-running]")) this.listen();
      keys("Everywhere", [
        { key: "/", says: "find a material", run: () => this.find() },
        { key: "?", says: "keys and figures", run: () => this.showKeys() },
      ]);
      otherKeys((e) => this.key(e));
      // A press beside an open menu closes it, and Escape does: the focus goes back to what opened it.
      const menus = () => [...document.querySelectorAll("details:is(.choice, .menu)[open]")];
      addEventListener("click", (e) => menus().forEach((m) => m.contains(/** @type {Node} */ (e.target)) || m.removeAttribute("open")));
      addEventListener("keydown", (e) => {
        const lists = document.activeElement?.matches("input[aria-expanded=true]"), open = e.key === "Escape" && !lists ? menus() : [];
        for (const m of open) {
          if (m.contains(document.activeElement)) m.querySelector("summary")?.focus();
          m.removeAttribute("open");
        }
        if (open.length) e.stopImmediatePropagation(); // it closes nothing else
      }, true);
    },

    /** @param {{text: string, undo: (() => Promise<void>) | null, more: any[]}} what */
    say({ text, undo, more }) {
      actions = more;
      this.notice = text;
      this.first = more[0]?.word ?? "";
      this.firstKey = more[0]?.key ?? "";
      this.second = more[1]?.word ?? "";
      this.secondKey = more[1]?.key ?? "";
      this.way = undo;
      this.undoable = !!undo;
      this.lasts = more.length ? 20000 : undo ? 9000 : 5000;
      this.letNoticeGo();
    },
    lasts: 0, // milliseconds that the notice stays
    /** A notice stays while it has the focus or the pointer. */
    holdNotice() { clearTimeout(this.timer); },
    letNoticeGo() {
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => this.unsay(), this.lasts);
    },

    /** Takes the notice away, and what it offers. */
    unsay() {
      actions = [];
      this.notice = "";
      this.way = null;
      this.undoable = false;
    },

    /** @param {{text: string, again?: () => unknown}} what */
    keep({ text, again }) {
      const id = Date.now() + Math.random();
      if (again) retries.set(id, again);
      this.errors = [...this.errors.filter((/** @type {{text: string}} */ k) => k.text !== text), { id, text, again: !!again }].slice(-4);
    },

    /** Tries once more what an error is of. @param {Event} e */
    async again(e) {
      const id = Number(/** @type {HTMLElement} */ (e.currentTarget).dataset.error), retry = retries.get(id);
      this.close(e);
      await retry?.();
    },

    /** @param {Event} e */
    close(e) {
      const id = Number(/** @type {HTMLElement} */ (e.currentTarget).dataset.error);
      retries.delete(id);
      this.errors = this.errors.filter((/** @type {{id: number}} */ k) => k.id !== id);
    },

    /** Signed in again in another window: what is typed here stays. */
    async signedIn() {
      const answer = await fetch("/api/v1/library", { method: "HEAD" }).catch(() => null);
      if (answer?.ok) this.signedOut = false;
      else fail("You are still signed out.");
    },

    async undo() {
      const way = this.way;
      this.unsay();
      try {
        await way?.();
      } catch (e) {
        fail(e);
      }
    },

    /** @param {Event} e */
    async doMore(e) {
      await this.act(actions[Number(/** @type {HTMLElement} */ (e.currentTarget).dataset.more)]);
    },

    /** @param {Action | undefined} what */
    async act(what) {
      if (!what) return;
      this.unsay();
      await what.act().catch(fail);
    },

    listen() {
      const { event, person } = document.body.dataset;
      listen(Number(event ?? 0), person ?? "", {
        gap: () => { // too much was missed while the line was down
          if (!anythingUnsent()) return location.reload();
          this.say({ text: "This page has missed changes.", undo: null, more: [{ word: "Load it again", key: "", act: async () => location.reload() }] });
        },
        line: (open) => {
          clearTimeout(this.waiting);
          if (open) {
            this.offline = false;
            dispatchEvent(new CustomEvent("line"));
          }
          else this.waiting = window.setTimeout(() => (this.offline = true), 1500); // a short break is nobody's concern
        },
        news: ({ topics, jobs, says: left, counts }) => {
          for (const b of document.querySelectorAll("[data-count]")) b.textContent = counts[b.getAttribute("data-count") ?? ""] ?? "";
          const running = document.querySelector("[data-running]");
          running?.toggleAttribute("data-idle", jobs === 0);
          const says = running?.querySelector("[data-jobs]"), bar = running?.querySelector("progress");
          if (says) says.textContent = left;
          if (bar) bar.value = counts.done;
          if (topics.length) dispatchEvent(new CustomEvent("changed", { detail: topics }));
        },
      });
    },

    find() {
      const field = /** @type {HTMLInputElement | null} */ (document.querySelector("[data-find]"));
      field?.select();
      field?.focus();
    },

    /** Keys of what the last notice offers, and what closes open menus. @param {KeyboardEvent} e */
    key(e) {
      if (e.key === "u" && this.undoable) this.undo();
      else if (this.notice) this.act(actions.find((a) => a.key === e.key));
    },

    showKeys() {
      const list = /** @type {HTMLElement} */ (document.querySelector("#keys .keys"));
      list.replaceChildren();
      for (const [place, entries] of listed()) {
        const part = document.createElement("section");
        part.append(Object.assign(document.createElement("h3"), { textContent: place }));
        list.append(part);
        for (const { keys, says } of entries) {
          const all = document.createElement("span"), what = document.createElement("span");
          all.append(...keys.flatMap((k) => [Object.assign(document.createElement("kbd"), { textContent: k }), " "]));
          what.textContent = says;
          part.append(all, what);
        }
      }
      /** @type {HTMLInputElement} */ (document.querySelector("#keys [data-letters]")).checked = letters();
      /** @type {HTMLDialogElement} */ (document.getElementById("keys")).showModal();
    },
    /** @param {Event} e */
    turnLetters(e) { setLetters(/** @type {HTMLInputElement} */ (e.currentTarget).checked); },

    get dark() {
      return (document.documentElement.dataset.room ?? (matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light")) === "dark";
    },
    /** The switch says what a press gives. */
    nameTheme() {
      const b = document.querySelector("[data-theme]");
      if (b) b.textContent = this.dark ? "Light theme" : "Dark theme";
    },
    turnLight() {
      const root = document.documentElement, dark = !this.dark;
      root.dataset.room = dark ? "dark" : "light";
      document.cookie = `room=${dark ? "dark" : "light"}; path=/; max-age=31536000; samesite=lax`;
      this.nameTheme();
      dispatchEvent(new CustomEvent("room"));
    },
  };
}
