// Where arrow keys lead among the bars of a plan.

/**
 * The bar that an arrow key leads to.
 * @param {{ row: number, left: number }[]} bars
 * @param {number} from Which of them one stands on.
 * @param {string} key
 * @returns {number} Which one next; the same where there is none.
 */
export function nextBar(bars, from, key) {
  const here = bars[from];
  if (!here) return from;
  const rows = [...new Set(bars.map((bar) => bar.row))].sort((a, b) => a - b);
  const order = bars.map((_, i) => i).sort((a, b) => (bars[a]?.left ?? 0) - (bars[b]?.left ?? 0));
  const inRow = (/** @type {number} */ row) => order.filter((i) => bars[i]?.row === row);
  if (key === "ArrowRight" || key === "ArrowLeft") {
    const own = inRow(here.row);
    return own[own.indexOf(from) + (key === "ArrowRight" ? 1 : -1)] ?? from;
  }
  if (key === "Home" || key === "End") return inRow(here.row).at(key === "Home" ? 0 : -1) ?? from;
  const row = rows[rows.indexOf(here.row) + (key === "ArrowDown" ? 1 : -1)];
  if (row === undefined) return from;
  const distance = (/** @type {number} */ i) => Math.abs((bars[i]?.left ?? 0) - here.left);
  return inRow(row).sort((a, b) => distance(a) - distance(b))[0] ?? from;
}
