// A warm coil: read again and again until it has settled, then its reading is put into the log's form.
import { around, byId } from "./elements.js";

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

/** @param {string} name */
const field = (name) => {
  const found = document.querySelector(`input[name=${name}]`);
  if (!(found instanceof HTMLInputElement)) throw new TypeError(`no field ${name}`);
  return found;
};

/** @param {Cooling} found */
function words({ ohms, coil_c, fit }) {
  const now = `${Math.round(ohms)} Ω${coil_c === null ? "" : ` at ${coil_c.toFixed(1)} °C`}`;
  if (!fit?.known) return `${now}; watching it cool: too early to say where it ends`;
  const band = Math.max(1, Math.round(fit.half_band_ohms));
  return `${now}; expected to end at ${Math.round(fit.ohms)} ± ${band} Ω`;
}

/** @param {string} instrument */
async function watch(instrument) {
  const status = byId("cooling", HTMLElement);
  let samples = "[]";
  const began = Date.now();
  for (let k = 0; k < READINGS; k++) {
    const seconds = (Date.now() - began) / 1000;
    const body = new URLSearchParams({ csrf: field("csrf").value, instrument, samples, seconds: String(seconds) });
    /** @type {Cooling} */
    let found;
    try {
      found = await (await fetch(`${location.pathname}/cooling`, { method: "POST", body })).json();
    } catch {
      status.textContent = "No connection; nothing is lost.";
      return;
    }
    if (found.trouble) {
      status.textContent = found.trouble;
      return;
    }
    samples = JSON.stringify(found.samples);
    status.textContent = words(found);
    if (found.fit?.settled) {
      field("resistance").value = String(Math.round(found.ohms));
      if (found.coil_c !== null) field("coil_c").value = found.coil_c.toFixed(1);
      status.textContent += ": settled; log it.";
      return;
    }
    await new Promise((done) => setTimeout(done, pauseMs(seconds)));
  }
}

document.addEventListener("click", async (event) => {
  const button = around(event, "[data-cool]");
  if (!(button instanceof HTMLButtonElement)) return;
  button.disabled = true;
  await watch(button.dataset.cool ?? "");
  button.disabled = false;
});
