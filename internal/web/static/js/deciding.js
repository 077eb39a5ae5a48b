// @ts-check
// Intake: deciding on sets. Each decision names the version that is shown, and offers its way back.
import { intakePart } from "./part.js";
import { call, fail, tell, turn } from "./api.js";
import { titles } from "./channels.js";

/** A part of Intake. */
export function deciding() {
  return intakePart({
    /**
     * @param {string} set
     * @param {string} map
     * @param {string} channel
     */
    async assign(set, map, channel) {
      this.open = false;
      const name = titles[/** @type {keyof typeof titles} */ (channel)].toLowerCase();
      try {
        const m = await call("PUT", `/api/v1/materials/${set}/maps/${map}`, { channel: channel || null }, this.version(set));
        const like = await call("GET", `/api/v1/maps/${map}/like?channel=${channel}`);
        const more = [];
        const all = (/** @type {boolean} */ keep) => this.all({ id: m.id, version: m.version }, map, channel, keep);
        if (like.maps.length) more.push({ word: `All ${like.maps.length} more ending in “${like.ending}”`, key: "a", act: () => all(false) });
        if (like.ending && channel) more.push({ word: like.station ? `Always for ${like.station}` : "Always", key: "A", act: () => all(true) });
        const { items } = await call("GET", "/api/v1/rules/proposals");
        const proposed = items.find((/** @type {any} */ r) => r.ending === like.ending && r.station === like.station && r.channel === channel);
        const times = proposed ? ` Corrected so in ${proposed.times} materials: make it a rule?` : "";
        const warns = like.warnings.length ? ` But ${like.warnings[0]}` : "";
        tell((channel ? `Assigned as ${name}.` : "Unassigned.") + warns + times, m.step ? () => this.back(m.step) : null, more);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * The same for the whole delivery, and with keep for the station's next ones.
     * @param {{id: number, version: number}} material that the map is of
     * @param {string} map
     * @param {string} channel
     * @param {boolean} keep
     */
    async all(material, map, channel, keep) {
      const name = titles[/** @type {keyof typeof titles} */ (channel)].toLowerCase();
      try {
        const like = await call("POST", `/api/v1/maps/${map}/like`, { material: material.id, channel: channel || null, keep }, material.version);
        tell(`${like.maps.length} more taken as ${name}${keep ? `; saved as a rule for ${like.station || "every station"}` : ""}.`, like.step ? () => this.back(like.step) : null);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * @param {number | string} step
     * @param {"undo" | "redo"} [way]
     */
    async back(step, way = "undo") {
      this.open = false;
      try {
        await turn(step, way);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /** The step that a key would undo or redo. @param {"undo" | "redo"} way */
    async turnNext(way) {
      const step = /** @type {HTMLElement | null} */ (this.root.querySelector(`[data-way=${way}]`))?.dataset.step;
      if (step) await this.back(step, way);
      else tell(way === "undo" ? "Nothing to undo." : "Nothing to redo.");
    },

    /**
     * @param {number[]} sets
     * @param {boolean} [undo]
     */
    async leave(sets, undo = false) {
      this.open = false;
      try {
        const { step } = await call("POST", `/api/v1/deliveries/${this.delivery}/leave`, { materials: this.seen(sets), undo }, "*");
        tell(undo ? "Put back." : "Left out.", () => this.back(step));
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * Settles what becomes of a set whose scan is here already.
     * @param {string | undefined} set
     * @param {string} take
     */
    async known(set, take) {
      try {
        const { name, step } = await call("POST", `/api/v1/materials/${set}/known`, { take }, this.version(set ?? ""));
        const says = take === "separate" ? "Taken as a different material." : take === "tier" ? `Kept as a smaller tier of ${name}.` : `New version of ${name}; release it on the Bench.`;
        tell(says, step ? () => this.back(step) : null);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * Moves maps of a set to another one, or to a set of their own.
     * @param {string} set
     * @param {number[] | null} maps all for null
     * @param {string} to a set, or "" for a new one
     */
    async move(set, maps, to) {
      if (maps && !maps.length) return tell("Choose maps first.");
      try {
        const target = to ? { id: Number(to), version: this.version(to) || undefined } : null;
        const { name, step } = await call("POST", `/api/v1/materials/${set}/move`, { ...(maps && { maps }), to: target }, this.version(set));
        const count = maps?.length === 1 ? "1 map" : `${maps?.length} maps`;
        const says = !maps ? `Merged into ${name}.` : to ? `${count} moved to ${name}.` : `${count} taken out as ${name}.`;
        tell(says, step ? () => this.back(step) : null);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * Says once what a word of the delivery's names means.
     * @param {string} word
     * @param {string} channel
     * @param {boolean} keep
     */
    async answer(word, channel, keep) {
      try {
        const { maps, step } = await call("POST", `/api/v1/deliveries/${this.delivery}/words`, { word, channel: channel || null, keep }, "*");
        const name = (titles[/** @type {keyof typeof titles} */ (channel)] ?? channel).toLowerCase();
        tell(`“${word}”: ${maps === 1 ? "1 file" : `${maps} files`} ${channel ? `taken as ${name}` : "put aside"}${keep ? "; saved as a rule" : ""}.`, step ? () => this.back(step) : null);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /** @param {number[]} sets */
    async take(sets) {
      this.open = false;
      try {
        const { step } = await call("POST", `/api/v1/deliveries/${this.delivery}/accept`, { materials: this.seen(sets) }, "*");
        this.accepted(sets, step);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /** @param {Event} e */
    async acceptReady(e) {
      e.preventDefault();
      try {
        const { materials, step } = await call("POST", `/api/v1/deliveries/${this.delivery}/accept`, { ready: true }, this.shown);
        this.accepted(materials, step);
      } catch (e) {
        fail(e);
      }
      await this.reload();
    },

    /**
     * @param {number[]} sets
     * @param {number} step
     */
    accepted(sets, step) {
      const { delivery } = this; // another one may be open when it is pressed
      tell(sets.length === 1 ? "Accepted; it is on the Bench." : `${sets.length} sets accepted; they are on the Bench.`, step ? () => this.back(step) : null, sets.length ? [{ word: sets.length === 1 ? "Release…" : `Release ${sets.length}…`, key: "R", act: () => this.release(delivery, sets) }] : []);
    },

    /** Asks before accepted sets are released. @param {string} delivery @param {number[]} sets */
    async release(delivery, sets) {
      const { sets: all } = await call("GET", `/api/v1/deliveries/${delivery}`);
      const drafts = all.filter((k) => sets.includes(k.material_id)).map((k) => ({ id: k.material_id, version: k.version, name: k.title || k.name }));
      dispatchEvent(new CustomEvent("release", { detail: drafts }));
    },
  });
}
