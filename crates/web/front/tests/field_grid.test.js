import assert from "node:assert/strict";
import test from "node:test";
import { decode, interpolate, shade, streamlines } from "../scripts/field_grid.js";

const INSIDE = -32768;
const STEPS = 20;
const hex = (v) => (v & 0xffff).toString(16).padStart(4, "0");

/** A grid of values given by place. */
function grid(columns, rows, field) {
  const values = [];
  for (let j = 0; j < rows; j++) {
    for (let i = 0; i < columns; i++) {
      const b = field(i, j);
      values.push(...(b ? b.map((v) => hex(Math.round(v * STEPS))) : [hex(INSIDE), hex(INSIDE), hex(INSIDE)]));
    }
  }
  const made = { columns, rows, from: [0, 0], to: [columns - 1, rows - 1], values: values.join(""), inside: INSIDE, steps: STEPS };
  return { ...made, field: decode(made) };
}

test("values come back with their sign, parts as nothing", () => {
  const made = grid(2, 2, (i, j) => (i === 1 && j === 1 ? null : [i - 3.05, j + 0.5, -120]));
  assert.deepEqual(made.field[0], [-3.05, 0.5, -120]);
  assert.equal(made.field[3], null);
});

test("between points a linear field is itself, and outside there is none", () => {
  const made = grid(5, 4, (i, j) => [i, 2 * j, i - j]);
  const [a, b, c] = interpolate(made, 2.25, 1.5);
  assert.ok(Math.abs(a - 2.25) < 1e-9 && Math.abs(b - 3) < 1e-9 && Math.abs(c - 0.75) < 1e-9);
  assert.equal(interpolate(made, -0.1, 1), null);
  assert.equal(interpolate(made, 1, NaN), null);
});

test("a stronger field is darker, and a change has the tone of its sign", () => {
  const light = (tone) => tone[0] + tone[1] + tone[2];
  const range = [1, 400];
  assert.ok(light(shade([3, 0, 0], undefined, range)) > light(shade([30, 0, 0], undefined, range)));
  const [more, same, less] = [20, 10, 5].map((v) => shade([v, 0, 0], [10, 0, 0], range));
  assert.ok(more[0] > more[1] && less[1] > less[0] && light(same) > light(more));
  assert.equal(shade(null, undefined, range)[3], 255);
});

test("lines of an even field run straight through and keep apart", () => {
  const lines = streamlines(grid(60, 40, () => [10, 0, 0]));
  assert.ok(lines.length > 5);
  for (const line of lines) assert.ok(line.every(([, y]) => Math.abs(y - line[0][1]) < 1e-6));
  const heights = lines.map((line) => line[0][1]).sort((a, b) => a - b);
  assert.ok(heights.every((y, k) => k === 0 || y - heights[k - 1] > 1));
});

test("lines of a whirl close about its middle and end at parts", () => {
  const whirl = grid(60, 60, (i, j) => (Math.hypot(i - 30, j - 30) < 6 ? null : [-(j - 29.5), i - 29.5, 0]));
  for (const line of streamlines(whirl)) {
    const radii = line.map(([x, y]) => Math.hypot(x - 29.5, y - 29.5));
    assert.ok(Math.max(...radii) - Math.min(...radii) < 0.5, `${Math.min(...radii)} to ${Math.max(...radii)}`);
    assert.ok(Math.min(...radii) > 4.5);
  }
});
