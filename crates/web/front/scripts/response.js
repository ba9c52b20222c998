// A response over frequency: read between its points, and the levels that its plot spans.

/**
 * One line of a plot.
 * @typedef {object} Curve
 * @property {string} name
 * @property {"loaded" | "alone" | "measured"} kind
 * @property {number} tone Which of the tones.
 * @property {number[]} hz Rising.
 * @property {number[]} db As many.
 */

/**
 * The level at a frequency, straight over the logarithm between two points.
 * @param {Pick<Curve, "hz" | "db">} curve
 * @param {number} hz
 * @returns {number | null} `null` outside of the curve.
 */
export function level(curve, hz) {
  const i = curve.hz.findIndex((f) => f >= hz);
  if (i < 0) return null;
  if (i === 0) return hz < curve.hz[0] * 0.999 ? null : curve.db[0];
  const share = Math.log(hz / curve.hz[i - 1]) / Math.log(curve.hz[i] / curve.hz[i - 1]);
  return curve.db[i - 1] + share * (curve.db[i] - curve.db[i - 1]);
}

/**
 * The curve with its highest point at 0 dB.
 * @param {Curve} curve
 * @returns {Curve}
 */
export function normalised(curve) {
  const peak = Math.max(...curve.db);
  return { ...curve, db: curve.db.map((v) => v - peak) };
}

/**
 * The lowest and highest level of a plot, in whole tens, 40 dB apart at most.
 * @param {Curve[]} curves
 * @param {number} from Hz
 * @param {number} to Hz
 * @returns {{ low: number, high: number }}
 */
export function levels(curves, from, to) {
  const inside = curves.flatMap((c) => c.db.filter((_, i) => c.hz[i] >= from && c.hz[i] <= to));
  const high = Math.ceil((Math.max(0, ...inside) + 1) / 10) * 10;
  const low = Math.max(high - 40, Math.floor((Math.min(-10, ...inside) - 1) / 10) * 10);
  return { low, high };
}

/**
 * A range of frequencies zoomed about one of them, within 50 Hz to 20 kHz.
 * @param {{ from: number, to: number }} range Hz
 * @param {number} at Hz; stays where it is.
 * @param {number} by Above one shows more.
 * @returns {{ from: number, to: number }}
 */
export const zoomedRange = ({ from, to }, at, by) => ({
  from: Math.max(50, at * (from / at) ** by),
  to: Math.min(2e4, at * (to / at) ** by),
});
