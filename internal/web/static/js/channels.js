// @ts-check
// Intake's channels: the key that assigns each, and what it is called.

export const letters = { b: "base_color", n: "normal", r: "roughness", m: "metallic", h: "height", o: "occlusion", g: "glossiness", y: "opacity", e: "emissive", s: "specular", t: "transmission", k: "mask", x: "" };

export const titles = { base_color: "Base colour", normal: "Normal", roughness: "Roughness", metallic: "Metallic", height: "Height", occlusion: "Occlusion", glossiness: "Glossiness", opacity: "Opacity", emissive: "Emissive", specular: "Specular", transmission: "Transmission", mask: "Mask", "": "Unassigned" };

/** The set that a row, or what is opened below it, is about. @param {Element} e */
export const setOf = (e) => {
  const row = /** @type {HTMLElement | null} */ (e.closest("[data-set], [data-of]"));
  return row?.dataset.set ?? row?.dataset.of ?? "";
};
