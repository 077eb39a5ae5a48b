// @ts-check
// Files that are dropped on a Bench or chosen on it: what adds them is loaded when there are some.
import { tell } from "./api.js";

/** @param {{root: HTMLElement, turnStep: (step: number) => Promise<void>, reload: () => Promise<void>}} bench */
export function takesFiles(bench) {
  const root = bench.root;
  const take = async (/** @type {FileList} */ files) => {
    const { add } = await import("./adding.js");
    const done = await add(files, root);
    if (done) tell(done.says, () => bench.turnStep(done.step));
    await bench.reload();
  };
  const files = (/** @type {DragEvent} */ e) => (e.dataTransfer?.types.includes("Files") ? e.dataTransfer.files : null);
  root.addEventListener("dragover", (e) => files(e) && e.preventDefault());
  root.addEventListener("drop", (e) => {
    const found = files(e);
    if (e.defaultPrevented || !found) return;
    e.preventDefault();
    take(found);
  });
  root.addEventListener("change", (e) => {
    const t = /** @type {HTMLInputElement} */ (e.target);
    if ("addMap" in t.dataset && t.files?.length) take(t.files);
  });
}
