import assert from "node:assert/strict";
import { test } from "node:test";
import { obstacle, reason } from "../scripts/passkey.js";

test("passkeys are of one address and of browsers that know them", () => {
  assert.equal(obstacle("https://pickups.example", "https://pickups.example", true), "");
  assert.notEqual(obstacle("https://pickups.example", "https://pickups.example", false), "");
  assert.ok(obstacle("http://localhost:8090", "http://127.0.0.1:8090", true).includes("http://localhost:8090"));
});

test("what a browser refuses is said in words of its own kind", () => {
  const named = (name) => Object.assign(new Error("x"), { name });
  const all = ["NotAllowedError", "InvalidStateError", "SecurityError", "Error"].map((name) => reason(named(name)));
  assert.equal(new Set(all).size, all.length);
  assert.equal(reason("no error"), reason(named("Error")));
});
