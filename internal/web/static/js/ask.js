// @ts-check

/**
 * Asks for a line of text.
 * @param {string} label
 * @param {string} [value]
 * @returns {Promise<string>} "" if nothing was said
 */
export function ask(label, value = "") {
  const box = document.createElement("dialog"), form = document.createElement("form"), field = document.createElement("input");
  box.className = "ask";
  box.setAttribute("aria-label", label);
  form.method = "dialog";
  field.className = "field";
  field.value = value;
  field.maxLength = 80;
  field.setAttribute("aria-label", label);
  const name = document.createElement("p"), save = document.createElement("button"), leave = document.createElement("button"), row = document.createElement("p");
  name.className = "label";
  name.textContent = label;
  save.className = "act";
  save.textContent = "Save";
  leave.className = "act quiet";
  leave.type = "button";
  leave.textContent = "Cancel";
  leave.addEventListener("click", () => box.close(""));
  save.value = "save";
  row.className = "mt-3 flex gap-3";
  row.append(save, leave);
  form.append(name, field, row);
  box.append(form);
  document.body.append(box);
  box.showModal();
  field.select();
  return new Promise((done) => box.addEventListener("close", () => {
    done(box.returnValue === "save" ? field.value.trim() : "");
    box.remove();
  }));
}
