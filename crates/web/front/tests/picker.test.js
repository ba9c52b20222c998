import assert from "node:assert/strict";
import { test } from "node:test";
import { holds } from "../scripts/picker.js";

test("every word must be there, in any order and case", () => {
  assert.ok(holds("Spool 7, 42 AWG heavy", "heavy 42"));
  assert.ok(holds("Spool 7, 42 AWG heavy", ""));
  assert.ok(!holds("Spool 7, 42 AWG heavy", "heavy 43"));
});
