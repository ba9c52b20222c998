import assert from "node:assert/strict";
import { test } from "node:test";
import { countdown, decibels, fileName, grouped, hertz, localMoment, timeLeft, typedTurns } from "../scripts/text.js";

test("frequencies carry three figures and their unit", () => {
  assert.equal(hertz(4301), "4.30 kHz");
  assert.equal(hertz(1000), "1.00 kHz");
  assert.equal(hertz(120), "120 Hz");
  assert.equal(hertz(999.4), "999 Hz");
});

test("levels carry a sign, with a true minus", () => {
  assert.equal(decibels(1.46), "+1.5 dB");
  assert.equal(decibels(0), "+0.0 dB");
  assert.equal(decibels(-0.26), "−0.3 dB");
});

test("thousands are set apart from five digits on", () => {
  assert.equal(grouped(7500), "7500");
  assert.equal(grouped(14800), "14\u202f800");
  assert.equal(grouped(1234567), "1\u202f234\u202f567");
  assert.equal(grouped(0), "0");
});

test("a timer counts down and then says for how long it has been due", () => {
  assert.deepEqual(countdown(65), { text: "1 min 5 s", isDue: false });
  assert.deepEqual(countdown(3600 + 120 + 3), { text: "1 h 2 min", isDue: false });
  assert.deepEqual(countdown(0), { text: "due for 0 s", isDue: true });
  assert.deepEqual(countdown(-90), { text: "due for 1 min 30 s", isDue: true });
  assert.deepEqual(countdown(-7200), { text: "due for 2 h 0 min", isDue: true });
});

test("what is left is told once enough is done to tell", () => {
  assert.equal(timeLeft(0.02, 10), "");
  assert.equal(timeLeft(0.5, 10), "about 10 s left");
  assert.equal(timeLeft(0.9, 90), "about 10 s left");
});

test("turns are read with any mark between thousands, and refused otherwise", () => {
  for (const [typed, turns] of [["7500", 7500], ["7,500", 7500], ["14 800", 14800], ["14\u202f800", 14800], [" 0 ", 0], ["100000", 100000]]) {
    assert.equal(typedTurns(String(typed)), turns, String(typed));
  }
  for (const typed of ["", " ", "3.5", "3,5", "7.50", "-5", "1e3", "100001", "seven", "12a", "1234567"]) assert.equal(typedTurns(typed), null, typed);
});

test("a title becomes a file's name without anything that a path could hold", () => {
  assert.equal(fileName("From above", "svg"), "from-above.svg");
  assert.equal(fileName("../../Section: A & B", "svg"), "section-a-b.svg");
  assert.equal(fileName("…", "svg"), "drawing.svg");
});

test("moments are in local time and in the order that every language reads", () => {
  assert.equal(localMoment(new Date(2026, 0, 5, 3, 7)), "2026-01-05 03:07");
});
