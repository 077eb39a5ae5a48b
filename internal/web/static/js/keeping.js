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

    pickLight() { this.$refs.ownLight.click(); },
    pickPicture() { this.$refs.ownPicture.click(); },

    /** Keeps a .hdr or .exr file for everybody, and takes it. @param {Event} e */
    async bringLight(e) {
      const field = /** @type {HTMLInputElement} */ (e.currentTarget), file = field.files?.[0];
      if (!file) return;
      tell(`Sending ${file.name}…`);
      try {
        const answer = await fetch(`/api/v1/environments?name=${encodeURIComponent(file.name)}`, { method: "POST", body: file, headers: { "Content-Type": "application/octet-stream" } });
        const body = await answer.json();
        if (!answer.ok) throw new Error(body.detail);
        this.lights = [...this.lights.filter((l) => l.title !== body.title), { id: body.id, title: body.title }];
        await this.takeLight(body.id);
        tell(`${body.title} is there for everybody.`);
      } catch (x) {
        fail(/** @type {Error} */ (x));
      } finally {
        field.value = "";
      }
    },

    /** Puts a picture of one's own behind the shape; it stays in this browser. @param {Event} e */
    async bringPicture(e) {
      const file = /** @type {HTMLInputElement} */ (e.currentTarget).files?.[0];
      if (!file || !this.stage) return;
      try {
        const bitmap = await createImageBitmap(file);
        const { Texture, SRGBColorSpace } = await import("../vendor/three.module.js");
        const t = new Texture(bitmap);
        t.flipY = false;
        t.colorSpace = SRGBColorSpace;
        t.needsUpdate = true;
        this.stage.backing = t;
        this.set({ background: "picture" });
      } catch {
        fail(new Error(`${file.name} is no picture that this browser reads.`));
      }
    },
  });
}
