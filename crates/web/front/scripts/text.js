// Numbers and times in words, as the pages' scripts show them.

/**
 * A frequency with three figures.
 * @param {number} hz Hertz, positive.
 * @returns {string} "4.30 kHz", "120 Hz"
 */
export const hertz = (hz) => (hz >= 1000 ? `${(hz / 1000).toPrecision(3)} kHz` : `${hz.toPrecision(3)} Hz`);

/**
 * A signed level with one decimal.
 * @param {number} db Decibels.
 * @returns {string} "+1.5 dB", "−0.3 dB"
 */
export const decibels = (db) => `${db >= 0 ? "+" : "−"}${Math.abs(db).toFixed(1)} dB`;

/**
 * A count with a narrow space between thousands from five digits on.
 * @param {number} count A whole number.
 * @returns {string} "7500", "14 800"
 */
export const grouped = (count) => String(count).replace(/\B(?=(\d{3})+$)/g, Math.abs(count) > 9999 ? "\u202f" : "");

/**
 * A moment in local time, in the order that every language reads (ISO 8601).
 * @param {Date} at
 * @returns {string} "2026-11-24 03:14"
 */
export function localMoment(at) {
  const two = (/** @type {number} */ part) => String(part).padStart(2, "0");
  const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `${day} ${two(at.getHours())}:${two(at.getMinutes())}`;
}

/**
 * What is left of a timer, or for how long it has been due.
 * @param {number} seconds Whole seconds; zero and less are due.
 * @returns {{ text: string, isDue: boolean }}
 */
export function countdown(seconds) {
  const all = Math.abs(seconds);
  const [h, m, s] = [Math.floor(all / 3600), Math.floor(all / 60) % 60, all % 60];
  const clock = `${h ? `${h} h ` : ""}${h || m ? `${m} min ` : ""}${h ? "" : `${s} s`}`.trim();
  const isDue = seconds <= 0;
  return { text: isDue ? `due for ${clock}` : clock, isDue };
}

/**
 * How long work will take from here, by what it took so far.
 * @param {number} share How much is done, 0 to 1.
 * @param {number} elapsed Seconds so far.
 * @returns {string} "about 12 s left"; empty while too little is done to tell.
 */
export const timeLeft = (share, elapsed) =>
  share > 0.05 ? `about ${Math.ceil((elapsed * (1 - share)) / share)} s left` : "";

/**
 * A count of turns as it is typed, with blanks, commas or points between thousands; “3.5” is none.
 * @param {string} typed
 * @returns {number | null} `null` for what is no whole number from 0 to 100,000.
 */
export function typedTurns(typed) {
  const text = typed.trim();
  if (!/^(\d{1,6}|\d{1,3}([\s,.\u202f]\d{3})+)$/.test(text)) return null;
  const turns = Number(text.replace(/\D/g, ""));
  return turns <= 100000 ? turns : null;
}

/**
 * A file's name of a title.
 * @param {string} title
 * @param {string} extension Without its point.
 * @returns {string} "from-above.svg"
 */
export const fileName = (title, extension) =>
  `${title.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "") || "drawing"}.${extension}`;
