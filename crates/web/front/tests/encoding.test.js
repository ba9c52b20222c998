import assert from "node:assert/strict";
import { test } from "node:test";
import { asUtf8, decoded } from "../scripts/encoding.js";

const bytes = (/** @type {number[]} */ ...all) => new Uint8Array(all).buffer;

test("UTF-8 is read, and bytes that are none are not guessed", () => {
  assert.equal(asUtf8(bytes(0x52, 0xc3, 0xb6, 0x64)), "Röd");
  assert.equal(asUtf8(bytes(0x52, 0xf6, 0x64)), null);
  assert.equal(asUtf8(bytes()), "");
});

test("an encoding that was named is taken", () => {
  assert.equal(decoded(bytes(0x52, 0xf6, 0x64), "windows-1252"), "Röd");
  assert.equal(decoded(bytes(0xc4, 0xe5), "windows-1251"), "Де");
});
