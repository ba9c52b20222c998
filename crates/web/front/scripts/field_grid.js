// The grid of a field: its values from text, values between points, shades, and flux lines. No page is needed here.

/**
 * A grid of field values.
 * @typedef {object} Grid
 * @property {number} columns
 * @property {number} rows
 * @property {number[]} from Lower left corner, mm.
 * @property {number[]} to Upper right corner, mm.
 * @property {string} values Hexadecimal numbers of 16 bits, three a point: across, up, out of the plane.
 * @property {number} inside The value of a point within a part.
 * @property {number} steps Steps per millitesla.
 * @property {(number[] | null)[]} [field] The values as numbers, mT.
 */

/**
 * The values as numbers, mT; null within parts.
 * @param {Grid} grid
 * @returns {(number[] | null)[]}
 */
export function decode(grid) {
  const at = (/** @type {number} */ k) => {
    const raw = parseInt(grid.values.slice(4 * k, 4 * k + 4), 16);
    return raw > 0x7fff ? raw - 0x10000 : raw;
  };
  return Array.from({ length: grid.columns * grid.rows }, (_, point) => {
    const three = [0, 1, 2].map((k) => at(3 * point + k));
    return three[0] === grid.inside ? null : three.map((v) => v / grid.steps);
  });
}

/**
 * The field between the points of a grid; null within parts and outside the grid.
 * @param {Grid} grid
 * @param {number} x
 * @param {number} y
 * @returns {number[] | null}
 */
export function interpolate(grid, x, y) {
  const field = grid.field ?? [];
  const u = ((x - grid.from[0]) / (grid.to[0] - grid.from[0])) * (grid.columns - 1);
  const v = ((y - grid.from[1]) / (grid.to[1] - grid.from[1])) * (grid.rows - 1);
  if (!(u >= 0 && v >= 0 && u <= grid.columns - 1 && v <= grid.rows - 1)) return null;
  const [i, j] = [Math.min(Math.floor(u), grid.columns - 2), Math.min(Math.floor(v), grid.rows - 2)];
  const [s, t] = [u - i, v - j];
  const sum = [0, 0, 0];
  let weight = 0;
  for (const [a, b, w] of [[i, j, (1 - s) * (1 - t)], [i + 1, j, s * (1 - t)], [i, j + 1, (1 - s) * t], [i + 1, j + 1, s * t]]) {
    const value = field[b * grid.columns + a];
    if (!value) continue;
    weight += w;
    for (let k = 0; k < 3; k++) sum[k] += w * value[k];
  }
  // Beside a part the points in the air speak for it.
  return weight > 0.3 ? sum.map((c) => c / weight) : null;
}

/** Light to dark, along which a magnitude rises. */
const RAMP = [[246, 240, 228], [214, 226, 205], [150, 201, 184], [76, 160, 158], [33, 111, 128], [24, 62, 92], [25, 24, 52]];
/** From less to more, through unchanged. */
const DIVERGING = [[31, 102, 87], [243, 236, 223], [149, 67, 26]];

/**
 * @param {number[][]} ramp
 * @param {number} share
 */
function along(ramp, share) {
  const at = Math.min(1, Math.max(0, share)) * (ramp.length - 1);
  const k = Math.min(Math.floor(at), ramp.length - 2);
  return [0, 1, 2].map((c) => Math.round(ramp[k][c] + (ramp[k + 1][c] - ramp[k][c]) * (at - k)));
}

/**
 * Red, green, blue and opacity of a field's magnitude on a logarithmic scale; with another field given, of the change from it:
 * full tone at twice or half.
 * @param {number[] | null} field
 * @param {number[] | null | undefined} before Undefined for the magnitude itself.
 * @param {number[]} range Weakest and strongest, mT.
 */
export function shade(field, before, range) {
  if (!field || before === null) return [190, 184, 172, 255];
  const size = Math.hypot(...field);
  if (before === undefined) {
    const share = Math.log(Math.max(size, range[0]) / range[0]) / Math.log(range[1] / range[0]);
    return [...along(RAMP, share), 255];
  }
  const ratio = Math.log2(Math.max(size, 0.05) / Math.max(Math.hypot(...before), 0.05));
  return [...along(DIVERGING, 0.5 + ratio / 2), 255];
}

/** Cells across and up in which no more than one line passes. */
const LANES = [30, 22];

/**
 * Lines along the field's part in the plane: each runs both ways from a place that no other line is near, until it leaves
 * the grid, enters a part, or comes to another line.
 * @param {Grid} grid
 * @returns {number[][][]}
 */
export function streamlines(grid) {
  const size = [grid.to[0] - grid.from[0], grid.to[1] - grid.from[1]];
  const step = Math.min(size[0] / grid.columns, size[1] / grid.rows) * 0.8;
  const taken = new Set();
  const lane = (/** @type {number[]} */ at) => {
    const k = [0, 1].map((axis) => Math.floor(((at[axis] - grid.from[axis]) / size[axis]) * LANES[axis]));
    return k[0] * LANES[1] + k[1];
  };
  const direction = (/** @type {number[]} */ at) => {
    const b = interpolate(grid, at[0], at[1]);
    const length = b ? Math.hypot(b[0], b[1]) : 0;
    return b && length > 1e-3 ? [b[0] / length, b[1] / length] : null;
  };
  const run = (/** @type {number[]} */ from, /** @type {number} */ sense, /** @type {Set<number>} */ own) => {
    const line = [];
    let at = from;
    for (let k = 0; k < 600; k++) {
      const first = direction(at);
      if (!first) break;
      const half = at.map((v, axis) => v + (sense * step * first[axis]) / 2);
      const second = direction(half);
      if (!second) break;
      at = at.map((v, axis) => v + sense * step * second[axis]);
      const place = lane(at);
      if (taken.has(place) && !own.has(place)) break;
      own.add(place);
      line.push(at);
    }
    return line;
  };
  const lines = [];
  for (let j = 0; j < LANES[1]; j++) {
    for (let i = 0; i < LANES[0]; i++) {
      const seed = [grid.from[0] + ((i + 0.5) / LANES[0]) * size[0], grid.from[1] + ((j + 0.5) / LANES[1]) * size[1]];
      if (taken.has(lane(seed)) || !direction(seed)) continue;
      const own = new Set([lane(seed)]);
      const back = run(seed, -1, own).reverse();
      const line = [...back, seed, ...run(seed, 1, own)];
      if (line.length < 12) continue;
      for (const place of own) taken.add(place);
      lines.push(line);
    }
  }
  return lines;
}
