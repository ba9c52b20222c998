// A warm coil: read again and again until it has settled, then its reading is put into the log's form.
import { component } from "./component.js";
import { as } from "./elements.js";

/**
 * What the server makes of the readings so far.
 * @typedef {object} Cooling
 * @property {string} [trouble]
 * @property {unknown[]} samples
 * @property {number | null} ohms
 * @property {number | null} coil_c
 * @property {{ ohms: number, half_band_ohms: number, time_constant_s: number, known: boolean, settled: boolean } | null} fit
 */

/** How often it is read, and how long between: every second and a half at first, later less often, for an hour. */
const READINGS = 760;
/** @param {number} seconds Since the first reading. */
const pauseMs = (seconds) => (seconds < 180 ? 1500 : 5000);
/** Readings that fail one after the other before the watch ends: a meter shows an overload while it changes its range. */
const FAILURES = 6;

/** @param {Cooling} found */
export function words({ ohms, coil_c, fit }) {
  const now = `${Math.round(ohms ?? 0)} Ω${coil_c === null ? "" : ` at ${coil_c.toFixed(1)} °C`}`;
  if (!fit?.known) return `${now}; watching it cool: too early to say where it ends`;
  const band = Math.max(1, Math.round(fit.half_band_ohms));
  return `${now}; expected to end at ${Math.round(fit.ohms)} ± ${band} Ω`;
}

/**
 * Reads until the coil has settled; `null` where too many readings in a row fail, or time is up.
 * @param {(samples: string, seconds: number) => Promise<Cooling>} ask
 * @param {(status: string) => void} tell
 * @param {(ms: number) => Promise<void>} pause
 */
export async function settle(ask, tell, pause) {
  let samples = "[]";
  let failures = 0;
  const began = Date.now();
  for (let k = 0; k < READINGS; k++) {
    const seconds = (Date.now() - began) / 1000;
    const found = await ask(samples, seconds).catch(() => null);
    if (found && !found.trouble) {
      failures = 0;
      samples = JSON.stringify(found.samples);
      tell(words(found));
      if (found.fit?.settled) return found;
    } else {
      const why = found?.trouble ?? "No connection; nothing is lost.";
      if (++failures >= FAILURES) return tell(why), null;
      tell(`${why} Reading again …`);
    }
    await pause(pauseMs(seconds));
  }
  tell("Not settled after an hour: log it with the coil's temperature.");
  return null;
}

export const cooling = component(() => ({
  status: "",
  isWatching: false,

  /** @param {string} instrument */
  async watch(instrument) {
    this.isWatching = true;
    try {
      await this.read(instrument);
    } finally {
      this.isWatching = false;
    }
  },
  /** @param {string} instrument */
  async read(instrument) {
    const { elements } = as(document.getElementById("log-form"), HTMLFormElement);
    const [csrf, resistance, coilC] = ["csrf", "resistance", "coil_c"].map((name) => as(elements.namedItem(name), HTMLInputElement));
    const settled = await settle(
      async (samples, seconds) => {
        const body = new URLSearchParams({ csrf: csrf.value, instrument, samples, seconds: String(seconds) });
        return (await fetch(`${location.pathname}/cooling`, { method: "POST", body })).json();
      },
      (status) => (this.status = status),
      (ms) => new Promise((done) => setTimeout(done, ms)),
    );
    if (!settled) return;
    resistance.value = String(Math.round(settled.ohms ?? 0));
    if (settled.coil_c !== null) coilC.value = settled.coil_c.toFixed(1);
    this.status += ": settled; log it.";
  },
}));
