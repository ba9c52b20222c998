import assert from "node:assert/strict";
import { test } from "node:test";
import { UndoHistory } from "../scripts/undo_history.js";

test("steps are undone and redone in order", () => {
  const history = new UndoHistory({ turns: "7500" });
  assert.ok(history.step({ turns: "7600" }));
  assert.ok(history.step({ turns: "7700" }));
  assert.deepEqual(history.undo(), { turns: "7600" });
  assert.deepEqual(history.undo(), { turns: "7500" });
  assert.equal(history.undo(), null);
  assert.deepEqual(history.redo(), { turns: "7600" });
  assert.deepEqual(history.now, { turns: "7600" });
});

test("what changes nothing is no step", () => {
  const history = new UndoHistory({ turns: "7500" });
  assert.equal(history.step({ turns: "7500" }), false);
  assert.equal(history.undo(), null);
});

test("a new step ends what could be redone", () => {
  const history = new UndoHistory(1);
  history.step(2);
  history.undo();
  history.step(3);
  assert.equal(history.redo(), null);
  assert.equal(history.now, 3);
});

test("the oldest steps are let go", () => {
  const history = new UndoHistory(0, 3);
  for (let k = 1; k <= 10; k++) history.step(k);
  const back = [history.undo(), history.undo(), history.undo(), history.undo()];
  assert.deepEqual(back, [9, 8, 7, null]);
});

test("a history is kept over a reload, with what can be redone", () => {
  const history = new UndoHistory({ turns: "1", coil: "A" });
  history.step({ turns: "2", coil: "A" });
  history.step({ turns: "2" });
  history.step({ turns: "3", pole: "x" });
  history.undo();
  const kept = UndoHistory.unpacked(JSON.parse(JSON.stringify(history.packed())));
  assert.deepEqual(kept?.now, { turns: "2" });
  assert.deepEqual(kept?.redo(), { turns: "3", pole: "x" });
  assert.deepEqual([kept?.undo(), kept?.undo(), kept?.undo()], [{ turns: "2" }, { turns: "2", coil: "A" }, { turns: "1", coil: "A" }]);
  for (const odd of [null, 7, {}, { first: {}, changes: [], at: 2 }]) assert.equal(UndoHistory.unpacked(odd), null);
});

test("a value that is typed key by key is one step", () => {
  const history = new UndoHistory("7500");
  history.step("7");
  assert.ok(history.amend("76"));
  assert.ok(history.amend("7600"));
  assert.equal(history.amend("7600"), false);
  assert.equal(history.undo(), "7500");
  assert.equal(history.redo(), "7600");
});
