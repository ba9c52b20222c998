import assert from "node:assert/strict";
import { test } from "node:test";
import { advice } from "../scripts/password.js";

test("a password that is not taken says why, and one that is says how strong it is", () => {
  assert.equal(advice({ score: 3, problem: "This is too short." }), "This is too short.");
  assert.match(advice({ score: 4, problem: "" }), /strong/);
  assert.match(advice({ score: 3, problem: "" }), /good/);
  assert.equal(typeof advice({ score: 9, problem: "" }), "string");
});
