// A warm coil: read again and again until it has settled, then its reading is put into the log's form.
import { component } from "./component.js";
import { as } from "./elements.js";

/**
 * What the server makes of the readings so far.
 * @typedef {object} Cooling
 * @property {string} [trouble]
 * @property {unknown[]} samples
 * @property {number} ohms
 * @property {number | null} coil_c
 * @property {{ ohms: number, half_band_ohms: number, time_constant_s: number, known: boolean, settled: boolean } | null} fit
 */

/** How often it is read, and how long between: every second and a half at first, later less often, for an hour. */
const READINGS = 760;
/** @param {number} seconds Since the first reading. */
const pauseMs = (seconds) => (seconds < 180 ? 1500 : 5000);

/** @param {Cooling} found */
export function words({ ohms, coil_c, fit }) {
  const now = `${Math.round(ohms)} Ω${coil_c === null ? "" : ` at ${coil_c.toFixed(1)} °C`}`;
  if (!fit?.known) return `${now}; watching it cool: too early to say where it ends`;
  const band = Math.max(1, Math.round(fit.half_band_ohms));
  return `${now}; expected to end at ${Math.round(fit.ohms)} ± ${band} Ω`;
}

export const cooling = component(() => ({
  status: "",
  isWatching: false,

  /** @param {string} instrument */
  async watch(instrument) {
    this.isWatching = true;
    await this.read(instrument);
    this.isWatching = false;
  },
  /** @param {string} instrument */
  async read(instrument) {
    const { elements } = as(document.getElementById("log-form"), HTMLFormElement);
    const [csrf, resistance, coilC] = ["csrf", "resistance", "coil_c"].map((name) => as(elements.namedItem(name), HTMLInputElement));
    let samples = "[]";
    const began = Date.now();
    for (let k = 0; k < READINGS; k++) {
      const seconds = (Date.now() - began) / 1000;
      const body = new URLSearchParams({ csrf: csrf.value, instrument, samples, seconds: String(seconds) });
      /** @type {Cooling} */
      let found;
      try {
        found = await (await fetch(`${location.pathname}/cooling`, { method: "POST", body })).json();
      } catch {
        this.status = "No connection; nothing is lost.";
        return;
      }
      this.status = found.trouble ?? words(found);
      if (found.trouble) return;
      samples = JSON.stringify(found.samples);
      if (found.fit?.settled) {
        resistance.value = String(Math.round(found.ohms));
        if (found.coil_c !== null) coilC.value = found.coil_c.toFixed(1);
        this.status += ": settled; log it.";
        return;
      }
      await new Promise((done) => setTimeout(done, pauseMs(seconds)));
    }
  },
}));
