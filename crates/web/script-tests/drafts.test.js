import assert from "node:assert/strict";
import { test } from "node:test";
import { removeDrafts } from "../assets/own/drafts.js";

test("who signs out leaves no draft, and takes nobody else's and no unsent event", () => {
  /** @type {Map<string, string>} */
  const kept = new Map([["draft:1:/designs", "a"], ["draft:12:/designs", "b"], ["draft:1:/revisions/3", "c"], ["station:7", "[]"]]);
  const storage = /** @type {Storage} */ (/** @type {unknown} */ ({
    get length() { return kept.size; },
    key: (/** @type {number} */ k) => [...kept.keys()][k] ?? null,
    removeItem: (/** @type {string} */ name) => kept.delete(name),
  }));
  removeDrafts(storage, "draft:1:");
  assert.deepEqual([...kept.keys()], ["draft:12:/designs", "station:7"]);
});
