// States of a form, one step after the other, to go back and forth in.

/**
 * @template T
 */
export class UndoHistory {
  /**
   * @param {T} now The state to begin with.
   * @param {number} most How many steps are kept.
   */
  constructor(now, most = 200) {
    /** @type {T} */
    this.now = now;
    /** @type {T[]} */
    this.past = [];
    /** @type {T[]} */
    this.future = [];
    this.most = most;
  }

  /**
   * A new step; one that changes nothing is none.
   * @param {T} next
   * @returns {boolean} Whether it changed something.
   */
  step(next) {
    if (JSON.stringify(next) === JSON.stringify(this.now)) return false;
    this.past.push(this.now);
    if (this.past.length > this.most) this.past.shift();
    this.future = [];
    this.now = next;
    return true;
  }

  /** @returns {T | null} The state before; `null` at the first. */
  undo() {
    const before = this.past.pop();
    if (before === undefined) return null;
    this.future.push(this.now);
    this.now = before;
    return before;
  }

  /** @returns {T | null} The state that was undone; `null` when there is none. */
  redo() {
    const after = this.future.pop();
    if (after === undefined) return null;
    this.past.push(this.now);
    this.now = after;
    return after;
  }
}
