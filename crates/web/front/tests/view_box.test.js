import assert from "node:assert/strict";
import { test } from "node:test";
import { inMillimetres, moved, parse, text, zoomed } from "../scripts/view_box.js";

/** @type {import("../scripts/view_box.js").ViewBox} */
const whole = [-40, -20, 80, 40];

test("the attribute is read and written", () => {
  assert.deepEqual(parse("-40 -20 80 40"), whole);
  assert.deepEqual(parse(" -40,-20, 80,40 "), whole);
  assert.equal(text(whole), "-40.000 -20.000 80.000 40.000");
});

test("zooming about the middle keeps the middle", () => {
  assert.deepEqual(zoomed(whole, whole, 0.5), [-20, -10, 40, 20]);
});

test("zooming about a corner keeps the corner", () => {
  assert.deepEqual(zoomed(whole, whole, 0.5, 0, 0), [-40, -20, 40, 20]);
});

test("there is a nearest and a farthest view", () => {
  let near = whole;
  let far = whole;
  for (let k = 0; k < 100; k++) {
    near = zoomed(near, whole, 0.75);
    far = zoomed(far, whole, 1.33);
  }
  assert.ok(Math.abs(near[2] - 80 / 60) < 1e-9);
  assert.ok(Math.abs(far[2] - 120) < 1e-9);
});

test("moving goes by shares of what is seen", () => {
  assert.deepEqual(moved([0, 0, 10, 20], 0.1, -0.5), [1, -10, 10, 20]);
});

test("the true size is that of the whole drawing, a millimetre per unit", () => {
  assert.deepEqual(inMillimetres(whole), { width: "80mm", height: "40mm" });
  assert.deepEqual(inMillimetres([0, 0, 66.30000001, 14.25]), { width: "66.3mm", height: "14.25mm" });
});
