import assert from "node:assert/strict";
import { test } from "node:test";
import { level, levels, normalised, zoomedRange } from "../scripts/response.js";

/** @type {import("../scripts/response.js").Curve} */
const curve = { name: "Sedge", kind: "loaded", tone: 0, hz: [100, 1000, 10000], db: [0, 4, -16] };

test("between two points a level lies straight over the logarithm of frequency", () => {
  assert.equal(level(curve, 1000), 4);
  assert.ok(Math.abs((level(curve, Math.sqrt(100 * 1000)) ?? NaN) - 2) < 1e-9);
  assert.ok(Math.abs((level(curve, Math.sqrt(1000 * 10000)) ?? NaN) + 6) < 1e-9);
});

test("outside of its frequencies a curve has no level", () => {
  assert.equal(level(curve, 90), null);
  assert.equal(level(curve, 10001), null);
  assert.equal(level(curve, 99.95), 0);
});

test("a normalised curve peaks at 0 dB and keeps its shape", () => {
  const peaked = normalised(curve);
  assert.deepEqual(peaked.db, [-4, 0, -20]);
  assert.deepEqual(peaked.hz, curve.hz);
  assert.deepEqual(curve.db, [0, 4, -16]);
});

test("the levels of a plot are whole tens that hold the peak, and 40 dB at most", () => {
  assert.deepEqual(levels([curve], 100, 20000), { low: -20, high: 10 });
  assert.deepEqual(levels([curve], 100, 2000), { low: -20, high: 10 });
  assert.deepEqual(levels([{ ...curve, db: [0, 12, -90] }], 100, 20000), { low: -20, high: 20 });
  assert.deepEqual(levels([], 100, 20000), { low: -20, high: 10 });
});

test("zooming keeps the frequency under the pointer at its share of the width", () => {
  const range = { from: 100, to: 20000 };
  const share = (/** @type {{ from: number, to: number }} */ { from, to }, /** @type {number} */ at) => Math.log(at / from) / Math.log(to / from);
  const nearer = zoomedRange(range, 1000, 0.8);
  assert.ok(nearer.from > 100 && nearer.to < 20000);
  assert.ok(Math.abs(share(nearer, 1000) - share(range, 1000)) < 1e-9);
  assert.deepEqual(zoomedRange({ from: 60, to: 20000 }, 1000, 1.25), { from: 50, to: 20000 });
});
