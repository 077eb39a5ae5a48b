// @ts-check
// A delivery as strangers send it: scans under names of other hands, in other scripts.
import { scanned } from "./studio.mjs";

/**
 * Files by their paths, and what a librarian would make of them: a set's name, its files and
 * their channels. Files of two sets are shared.
 * @param {string} dir
 * @param {number} size
 */
export function strangers(dir, size) {
  const first = scanned(dir, ["--sets", "20", "--size", String(size), "--seed", "23"]).files;
  const second = scanned(dir, ["--sets", "7", "--size", String(size), "--seed", "5"]).files;
  const third = scanned(dir, ["--sets", "7", "--size", String(size), "--seed", "9"]).files;
  /** @type {Record<string, Uint8Array>} */
  const files = {};
  /** @type {Record<string, Record<string, string>>} */
  const sets = {};
  /**
   * @param {string} set
   * @param {Record<string, Uint8Array>} from
   * @param {string} slug
   * @param {Record<string, string>} names each channel's file, by the station's word for it
   */
  const put = (set, from, slug, names) => {
    sets[set] ??= {};
    for (const [word, name] of Object.entries(names)) {
      const found = Object.keys(from).find((path) => path.includes(`${slug}_${word}.`));
      if (!found) throw new Error(`no ${slug} ${word}`);
      files[name] = from[found];
      sets[set][name] = { basecolor: "base_color", normal: "normal", roughness: "roughness", height: "height", ao: "occlusion", metallic: "metallic" }[word] ?? word;
    }
  };
  put("石垣", first, "rubble_limewash", { basecolor: "石垣_ベースカラー.png", normal: "石垣_法線.png", roughness: "石垣_粗さ.png", height: "石垣_高さ.png", ao: "石垣_遮蔽.png" });
  put("box 7", first, "slates_round", { basecolor: "box 7/3.png", normal: "box 7/1.png", height: "box 7/2.png" });
  put("plp_lead_rolls", first, "lead_rolls", { basecolor: "PLP_LeadRolls_Clr_3K.png", normal: "PLP_LeadRolls_Nrml_3K.png", roughness: "PLP_LeadRolls_Rghns_3K.png", metallic: "PLP_LeadRolls_Mtl_3K.png", height: "PLP_LeadRolls_Dspl_3K.png", ao: "PLP_LeadRolls_Occl_3K.png" });
  put("spec_house_floor", first, "tile_encaustic", { basecolor: "spec house floor_d.png", normal: "spec house floor_n.png", roughness: "spec house floor_r.png", height: "spec house floor_h.png" });
  put("reed", first, "thatch_reed", { basecolor: "reed.png", normal: "reed_nrm.png", roughness: "reed_rgh.png" });
  put("reed_a", second, "thatch_reed", { basecolor: "reed-a.png" });
  put("reed_b", third, "thatch_reed", { basecolor: "reed-b.png" });
  for (const set of ["reed_a", "reed_b"]) Object.assign(sets[set], { "reed_nrm.png": "normal", "reed_rgh.png": "roughness" });
  put("старая_доска", first, "weatherboard_tar", { basecolor: "старая доска цвет.png", normal: "старая доска нормаль.png", roughness: "старая доска шероховатость.png", height: "старая доска высота.png" });
  put("smooth_cloth", first, "sailcloth", { basecolor: "albedo_smooth_cloth.png", normal: "nomral_smooth_cloth.png", roughness: "roughnes_smooth_cloth.png" });
  return { files, sets };
}
