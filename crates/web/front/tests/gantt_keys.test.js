import assert from "node:assert/strict";
import { test } from "node:test";
import { nextBar } from "../scripts/gantt_keys.js";

// Two rows, drawn in another order than they stand.
const bars = [
  { row: 0, left: 100 },
  { row: 2, left: 90 },
  { row: 0, left: 20 },
  { row: 2, left: 300 },
];

test("left and right lead along a row and end there", () => {
  assert.equal(nextBar(bars, 2, "ArrowRight"), 0);
  assert.equal(nextBar(bars, 0, "ArrowRight"), 0);
  assert.equal(nextBar(bars, 0, "ArrowLeft"), 2);
  assert.equal(nextBar(bars, 2, "End"), 0);
});

test("up and down lead to the nearest bar of the next row that has any", () => {
  assert.equal(nextBar(bars, 0, "ArrowDown"), 1);
  assert.equal(nextBar(bars, 3, "ArrowUp"), 0);
  assert.equal(nextBar(bars, 0, "ArrowUp"), 0);
  assert.equal(nextBar(bars, 9, "ArrowUp"), 9);
});
