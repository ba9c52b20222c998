import assert from "node:assert/strict";
import { test } from "node:test";
import { ABANDONED_MS, DraftStore, removeDrafts, tabName } from "../scripts/drafts.js";

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

/** @returns {Storage & { all: Map<string, string> }} */
function storage() {
  /** @type {Map<string, string>} */
  const all = new Map();
  return /** @type {Storage & { all: Map<string, string> }} */ (/** @type {unknown} */ ({
    all,
    get length() { return all.size; },
    key: (/** @type {number} */ k) => [...all.keys()][k] ?? null,
    getItem: (/** @type {string} */ name) => all.get(name) ?? null,
    setItem: (/** @type {string} */ name, /** @type {string} */ text) => all.set(name, text),
    removeItem: (/** @type {string} */ name) => all.delete(name),
  }));
}

test("two tabs of a new design have a draft each", () => {
  const kept = storage();
  let now = 1e6;
  const [one, two] = ["a", "b"].map((tab) => new DraftStore(kept, "draft:1:/designs", tab, () => now));
  one.keep({ turns: "7000" }, null);
  assert.equal(two.take(), null, "the other tab is open");
  two.keep({ turns: "8000" }, null);
  assert.equal(one.take()?.values.turns, "7000");
  assert.equal(two.take()?.values.turns, "8000");
  // A tab that was closed, and one that went without a word: both are found again, the newest first.
  one.leave();
  // An answer that comes while the page is unloaded is kept, and gives no sign of life.
  one.keep({ turns: "7000" }, null);
  assert.equal(one.isAlive(), false);
  now += ABANDONED_MS + 1;
  const next = new DraftStore(kept, "draft:1:/designs", "c", () => now);
  assert.equal(next.take()?.values.turns, "8000");
  assert.equal(next.take()?.values.turns, "7000");
  assert.equal(next.take(), null);
  next.keep({ turns: "1" }, [1]);
  next.drop();
  assert.equal(kept.all.size, 0);
});

test("what cannot be read is no draft", () => {
  const kept = storage();
  kept.setItem("draft:1:/designs#a", "{");
  kept.setItem("draft:1:/designs#b", "7");
  assert.equal(new DraftStore(kept, "draft:1:/designs", "a", () => 1e9).take(), null);
});

test("a tab keeps its name over a reload, and a copy of it gets another", () => {
  const session = storage();
  const name = tabName(session, false, () => false);
  assert.equal(tabName(session, true, () => true), name);
  assert.equal(tabName(session, false, () => false), name);
  assert.notEqual(tabName(session, false, () => true), name);
});
