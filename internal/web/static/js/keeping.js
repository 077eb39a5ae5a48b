// @ts-check
// What is kept of the Lit lens, and brought to it: saved pictures, light and pictures of one's own.
import { fail, tell } from "./api.js";
import { litPart } from "./part.js";

/** Steps of a slider's keys; 0 for others. @param {KeyboardEvent} e */
export const keysOf = (e) => /** @type {Record<string, number>} */ ({ ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -15, PageUp: 15 })[e.key] ?? 0;

/** A part of the Lit lens. */
export function keeping() {
  return litPart({
    saving: "",
    savePx: "2048",
    saveAs: "png",
    saveQuality: "reference",
    saveClear: false,

    openSave() { this.$refs.save.showModal(); },
    closeSave() { this.$refs.save.close(); },

    /** Has the server draw the view, waits, and gives it as a file. */
    async save() {
      if (this.saving) return;
      const box = this.$refs.mat.getBoundingClientRect(), w = Number(this.savePx), h = Math.max(1, Math.min(8192, Math.round((w * box.height) / box.width)));
      const more = /** @type {Record<string, string>} */ ({ quality: this.saveQuality, save: "1" });
      if (this.saveQuality === "reference") more.samples = w > 4096 ? "64" : "128";
      if (this.saveClear) more.background = "none";
      const url = this.pictureURL(w, h, this.saveAs, more);
      this.saving = "Beginning";
      try {
        for (;;) {
          const answer = await fetch(url);
          if (answer.status === 202) {
            const { progress } = await answer.json();
            this.saving = `${Math.floor(100 * progress)} %`;
            await new Promise((done) => setTimeout(done, 700));
            continue;
          }
          if (!answer.ok) throw new Error((await answer.json().catch(() => null))?.detail ?? "The picture could not be made.");
          const a = document.createElement("a");
          a.href = URL.createObjectURL(await answer.blob());
          a.download = `${this.root.dataset.slug}-${this.view.shape}.${this.saveAs}`;
          a.click();
          setTimeout(() => URL.revokeObjectURL(a.href), 10000);
          this.closeSave();
          tell("Saved.");
          return;
        }
      } catch (e) {
        fail(/** @type {Error} */ (e));
      } finally {
        this.saving = "";
      }
    },

    /** @param {Event} e */
    chooseMesh(e) {
      this.takeShape(/** @type {HTMLSelectElement} */ (e.currentTarget).value || "ball");
    },
    /** A mesh comes in its own size. @param {string} shape */
    takeShape(shape) {
      const was = this.mesh, now = this.meshes.find((/** @type {Prop} */ m) => m.id === shape);
      this.set({ shape, ...(now ? { size: now.size_m } : was ? { size: this.natural } : {}) });
    },
    /** The uploaded mesh that is looked at. @returns {Prop | null} */
    get mesh() { return this.meshes.find((/** @type {Prop} */ m) => m.id === this.view.shape) ?? null; },
    /** Whether the server draws: what this browser cannot. */
    get byServer() { return this.still || this.view.shape.startsWith("own-"); },
    pickLight() { this.$refs.ownLight.click(); },
    pickMesh() { this.$refs.ownMesh.click(); },
    pickDrop() { this.$refs.ownDrop.click(); },

    /**
     * Keeps a file for everybody, and gives what it is called.
     * @param {Event} e @param {"environments" | "meshes" | "backdrops"} kind @param {Prop[]} list
     * @returns {Promise<Prop[] | null>} the list with it at the end
     */
    async bring(e, kind, list) {
      const field = /** @type {HTMLInputElement} */ (e.currentTarget), file = field.files?.[0];
      if (!file) return null;
      tell(`Sending ${file.name}…`);
      try {
        const answer = await fetch(`/api/v1/${kind}?name=${encodeURIComponent(file.name)}`, { method: "POST", body: file, headers: { "Content-Type": "application/octet-stream" } });
        const body = await answer.json();
        if (!answer.ok) throw new Error(body.detail);
        tell(`${body.title} is there for everybody.`);
        return [...list.filter((l) => l.title !== body.title), body];
      } catch (x) {
        fail(/** @type {Error} */ (x));
        return null;
      } finally {
        field.value = "";
      }
    },
    /** @param {Event} e */
    async bringLight(e) {
      const list = await this.bring(e, "environments", this.lights);
      if (!list) return;
      this.lights = list;
      await this.takeLight(list[list.length - 1].id);
    },
    /** @param {Event} e */
    async bringMesh(e) {
      const list = await this.bring(e, "meshes", this.meshes);
      if (!list) return;
      this.meshes = list;
      this.takeShape(list[list.length - 1].id);
    },
    /** @param {Event} e */
    async bringDrop(e) {
      const list = await this.bring(e, "backdrops", this.drops);
      if (!list) return;
      this.drops = list;
      this.set({ background: list[list.length - 1].id });
    },
  });
}
