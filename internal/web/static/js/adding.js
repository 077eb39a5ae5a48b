// @ts-check
// A map that comes later: files dropped on a material become a delivery of their own, and once it is sorted
// their maps are added to the material as one step.
import { call, fail, tell, wrote } from "./api.js";

const pause = 400; // milliseconds between looks at a delivery

/**
 * Adds files to the material of a Bench, and says so.
 * @param {FileList} files
 * @param {HTMLElement} bench
 * @returns {Promise<{says: string, step: number} | null>} null if it failed, which is said
 */
export async function add(files, bench) {
  const name = document.querySelector("h1")?.textContent?.trim() ?? "the material";
  tell(`Adding ${files.length === 1 ? files[0].name : `${files.length} files`} to ${name}…`);
  try {
    const done = await moved(files, Number(bench.dataset.material));
    wrote(bench, done);
    return { says: `Added to ${name}: ${done.maps === 1 ? "1 map" : `${done.maps} maps`}.`, step: done.step };
  } catch (e) {
    fail(e);
    return null;
  }
}

/**
 * Sends files, and moves their maps to a material once they are sorted.
 * @param {FileList | File[]} files
 * @param {number} material
 * @returns {Promise<{maps: number, step: number, version: number}>} what was added, and the last step
 */
async function moved(files, material) {
  const { send } = await import("./upload.js"); // of no use before
  const { id } = await send([...files].map((file) => ({ path: file.name, file })), () => {}, () => {});
  let d = await call("GET", `/api/v1/deliveries/${id}`);
  while (d.state !== "sorted" && d.state !== "failed") {
    await new Promise((ok) => setTimeout(ok, pause));
    d = await call("GET", `/api/v1/deliveries/${id}`);
  }
  const done = { maps: 0, step: 0, version: 0 };
  for (const set of d.sets ?? []) {
    const count = set.maps.length + set.unassigned.length;
    if (!count) continue;
    const { step, version } = await call("POST", `/api/v1/materials/${set.material_id}/move`, { to: { id: material } }, "*");
    Object.assign(done, { maps: done.maps + count, step, version });
  }
  if (!done.maps) throw new Error(d.failed?.[0]?.error ?? "None of these files is a picture. Send maps as PNG, JPEG, TIFF or EXR.");
  return done;
}
