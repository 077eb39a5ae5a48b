// @ts-check
// What is changed of many chosen materials at once: the same on the Bench and in Intake.
import { call, tell, turn } from "./api.js";
import { suggest } from "./combo.js";

/** What can be changed of many, and an example of each. */
const values = {
  add_tags: "wet, coastal",
  remove_tags: "wet, coastal",
  add_categories: "Stone",
  remove_categories: "Stone",
  licence: "CC-BY-4.0",
  author: "name",
  contact_class: "wet sand",
  width_m: "180 cm",
};

/** What is suggested for each. @type {Partial<Record<keyof typeof values, import("./combo.js").Source>>} */
const sources = {
  add_tags: { facet: "tag", many: true },
  remove_tags: { facet: "tag", many: true },
  add_categories: { facet: "category", many: true },
  remove_categories: { facet: "category", many: true },
  licence: { list: "known-licences" },
  contact_class: { list: "known-contacts" },
};

/** The fields of a bar that changes what is chosen. */
export function changing() {
  return {
    what: /** @type {keyof typeof values} */ ("add_tags"),
    /** An example of what can be typed. */
    example: values.add_tags,
    forget: () => {},

    /** The example and the suggestions of the field, as what is changed asks for them. */
    suggest() {
      this.forget();
      this.example = values[this.what];
      const field = /** @type {HTMLInputElement | null} */ (document.querySelector("[data-bulk] [name=value]")), source = sources[this.what];
      this.forget = field && source ? suggest(field, source) : () => {};
    },

    /**
     * @param {HTMLFormElement} form
     * @param {{id: number, version: number}[]} materials
     */
    async changeAll(form, materials) {
      const field = /** @type {HTMLInputElement} */ (form.elements.namedItem("value"));
      const text = field.value.trim();
      if (!text) return field.focus();
      const many = this.what.endsWith("tags") || this.what.endsWith("categories");
      const value = many ? text.split(",").map((w) => w.trim()).filter(Boolean) : text;
      const { step } = await call("PATCH", "/api/v1/materials", { materials, change: { [this.what]: value } });
      field.value = "";
      if (step) tell(materials.length === 1 ? "Saved." : `Saved: ${materials.length} materials.`, () => turn(step));
      else tell("Nothing changed.");
    },
  };
}
