// @ts-check
// Intake: many sets chosen, across filters and tabs, and decided or changed together.
import { intakePart } from "./part.js";
import { call, fail, tell } from "./api.js";
import { changing } from "./changing.js";
import { choosing, chosen, clear, versions } from "./choosing.js";

/** A part of Intake. */
export function many() {
  return intakePart({
    ...changing(),
    count: 0, // of what is chosen
    out: false, // what is chosen was left out

    get label() {
      return this.count === 1 ? "1 set" : `${this.count} sets`;
    },

    chooseMany() {
      choosing("Intake", "set");
      addEventListener("chosen", () => {
        this.count = chosen().length;
        this.out = !!this.root.querySelector("[data-chosen] [data-return]");
      });
      this.suggest();
    },

    clearChosen() {
      clear();
    },

    /** Does to the chosen sets what was pressed. @param {SubmitEvent} e */
    async decideMany(e) {
      e.preventDefault();
      const does = /** @type {HTMLButtonElement | null} */ (e.submitter)?.value, materials = versions(), count = this.label;
      try {
        if (does === "change") await this.changeAll(/** @type {HTMLFormElement} */ (e.target), materials);
        else {
          const { step } = await call("POST", `/api/v1/deliveries/${this.delivery}/${does === "accept" ? "accept" : "leave"}`, { materials, undo: does === "return" }, "*");
          clear(); // they stand on another tab now
          if (does === "accept") this.accepted(materials.map((m) => m.id), step);
          else tell(does === "return" ? `${count} put back.` : `${count} left out.`, () => this.back(step));
        }
      } catch (err) {
        fail(err);
      }
      await this.reload();
    },
  });
}
