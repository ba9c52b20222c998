// The part of a drawing that is shown: left, top, width, height.

/** @typedef {[number, number, number, number]} ViewBox */

/**
 * Reads the attribute.
 * @param {string} attribute
 * @returns {ViewBox}
 */
export function parse(attribute) {
  const [x = 0, y = 0, width = 1, height = 1] = attribute.trim().split(/[\s,]+/).map(Number);
  return [x, y, width, height];
}

/**
 * Writes the attribute.
 * @param {ViewBox} view
 * @returns {string}
 */
export const text = (view) => view.map((v) => v.toFixed(3)).join(" ");

/**
 * Zooms about a place of the view; not nearer than a sixtieth of the whole, not farther than half as much again.
 * @param {ViewBox} view
 * @param {ViewBox} whole
 * @param {number} by Above one shows more.
 * @param {number} x Share of the width that stays where it is, 0 to 1.
 * @param {number} y Share of the height.
 * @returns {ViewBox}
 */
export function zoomed(view, whole, by, x = 0.5, y = 0.5) {
  const [width, height] = [2, 3].map((i) => Math.min(whole[i] * 1.5, Math.max(whole[i] / 60, view[i] * by)));
  return [view[0] + (view[2] - width) * x, view[1] + (view[3] - height) * y, width, height];
}

/**
 * Moves by shares of the view.
 * @param {ViewBox} view
 * @param {number} x To the right.
 * @param {number} y Down.
 * @returns {ViewBox}
 */
export const moved = (view, x, y) => [view[0] + x * view[2], view[1] + y * view[3], view[2], view[3]];

/**
 * The true size of what is drawn a millimetre per unit.
 * @param {ViewBox} view
 * @returns {{ width: string, height: string }}
 */
export const inMillimetres = ([, , width, height]) => ({ width: `${rounded(width)}mm`, height: `${rounded(height)}mm` });

/** @param {number} length */
const rounded = (length) => Number(length.toFixed(3));
