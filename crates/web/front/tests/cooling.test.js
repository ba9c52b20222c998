import assert from "node:assert/strict";
import { test } from "node:test";
import { settle } from "../scripts/cooling.js";

/** @typedef {import("../scripts/cooling.js").Cooling} Cooling */

/** @param {number} ohms @param {boolean} settled @returns {Cooling} */
const reading = (ohms, settled) => ({
  samples: [[0, ohms]],
  ohms,
  coil_c: null,
  fit: { ohms, half_band_ohms: 2, time_constant_s: 60, known: true, settled },
});
/** @returns {Cooling} */
const overload = () => ({ trouble: "The coil reads open.", samples: [], ohms: null, coil_c: null, fit: null });

/** @param {(Cooling | Error)[]} answers */
async function watch(answers) {
  /** @type {string[]} */
  const told = [];
  /** @type {string[]} */
  const asked = [];
  const found = await settle(
    async (samples) => {
      asked.push(samples);
      const answer = answers.shift() ?? overload();
      if (answer instanceof Error) throw answer;
      return answer;
    },
    (status) => void told.push(status),
    async () => {},
  );
  return { found, told, asked };
}

test("an overload and a lost connection do not end the watch, and keep the samples", async () => {
  const { found, asked } = await watch([reading(5600, false), overload(), new TypeError("no connection"), reading(5500, true)]);
  assert.equal(found?.ohms, 5500);
  assert.equal(asked.at(-1), "[[0,5600]]");
});

test("a coil that stays open ends it, with the reason", async () => {
  const { found, told, asked } = await watch([reading(5600, false)]);
  assert.equal(found, null);
  assert.equal(asked.length, 7);
  assert.equal(told.at(-1), "The coil reads open.");
});
