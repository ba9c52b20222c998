import assert from "node:assert/strict";
import { test } from "node:test";
import { EventQueue, newKey, outcomeOf } from "../scripts/event_queue.js";

/** @typedef {import("../scripts/event_queue.js").Outcome} Outcome */

function storage() {
  /** @type {Map<string, string>} */
  const kept = new Map();
  return {
    kept,
    getItem: (/** @type {string} */ name) => kept.get(name) ?? null,
    setItem: (/** @type {string} */ name, /** @type {string} */ value) => void kept.set(name, value),
  };
}

/** @param {(Outcome | Error)[]} answers */
function queueThat(answers) {
  const at = storage();
  /** @type {string[]} */
  const posted = [];
  /** @type {number[]} */
  const counts = [];
  const queue = new EventQueue(at, "station:1", async (event) => {
    posted.push(event.key);
    const answer = answers.shift() ?? "sent";
    if (answer instanceof Error) throw answer;
    return answer;
  }, (count) => counts.push(count));
  return { at, posted, counts, queue };
}

test("events are sent in order and leave the store", async () => {
  const { queue, posted, counts } = queueThat([]);
  queue.keep([{ key: "a" }, { key: "b" }]);
  assert.equal(await queue.add({ key: "c" }), "sent");
  assert.deepEqual(posted, ["a", "b", "c"]);
  assert.deepEqual(queue.waiting(), []);
  assert.equal(counts.at(-1), 0);
});

test("without a connection everything waits, with its key", async () => {
  const { queue, posted } = queueThat([new TypeError("no connection")]);
  assert.equal(await queue.add({ key: "a" }), "unavailable");
  assert.deepEqual(queue.waiting(), [{ key: "a" }]);
  assert.equal(await queue.send(), "sent");
  assert.deepEqual(posted, ["a", "a"]);
});

test("what the server refuses does not hold up what comes after it", async () => {
  const { queue, posted } = queueThat(["refused", "sent"]);
  queue.keep([{ key: "a" }, { key: "b" }]);
  await queue.send();
  assert.deepEqual(posted, ["a", "b"]);
  assert.deepEqual(queue.waiting(), []);
});

test("who is signed out loses nothing", async () => {
  const { queue } = queueThat(["signed-out"]);
  queue.keep([{ key: "a" }, { key: "b" }]);
  assert.equal(await queue.send(), "signed-out");
  assert.equal(queue.waiting().length, 2);
});

test("two sends at once send each event once", async () => {
  const { queue, posted } = queueThat([]);
  queue.keep([{ key: "a" }, { key: "b" }]);
  await Promise.all([queue.send(), queue.send(), queue.send()]);
  assert.deepEqual(posted, ["a", "b"]);
});

test("a store that holds something else is empty", () => {
  const { at, queue } = queueThat([]);
  at.kept.set("station:1", "{oops");
  assert.deepEqual(queue.waiting(), []);
  at.kept.set("station:1", '{"key":"a"}');
  assert.deepEqual(queue.waiting(), []);
});

test("answers are told apart by their status", () => {
  const answer = (/** @type {number} */ status, redirected = false) => outcomeOf({ ok: status < 300, redirected, status });
  assert.equal(answer(204), "sent");
  assert.equal(answer(200, true), "signed-out");
  assert.equal(answer(403), "signed-out");
  for (const status of [400, 404, 409, 422]) assert.equal(answer(status), "refused");
  assert.equal(answer(503), "unavailable");
});

test("keys are 128 random bits", () => {
  assert.match(newKey(), /^[0-9a-f]{32}$/);
  assert.notEqual(newKey(), newKey());
});
