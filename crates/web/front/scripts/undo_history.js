// States of a form, one step after the other, to go back and forth in.

/**
 * @template T
 */
export class UndoHistory {
  /**
   * @param {T} now The state to begin with.
   * @param {number} most How many steps are kept.
   */
  constructor(now, most = 100) {
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

  /**
   * The step just made goes on: its state is another, and still one step from the one before.
   * @param {T} next
   * @returns {boolean} Whether it changed something.
   */
  amend(next) {
    if (JSON.stringify(next) === JSON.stringify(this.now)) return false;
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

  /**
   * All states with where one stands, each but the first as what differs from the one before.
   * @returns {{ at: number, first: Values, changes: Change[] } | null} `null` where states are no records of texts.
   */
  packed() {
    const all = [...this.past, this.now, ...[...this.future].reverse()];
    if (!all.every((state) => typeof state === "object" && state !== null)) return null;
    const states = /** @type {Values[]} */ (/** @type {unknown} */ (all));
    return { at: this.past.length, first: states[0], changes: states.slice(1).map((s, k) => change(states[k], s)) };
  }

  /**
   * A history as it was packed; `null` for what is none.
   * @param {unknown} kept
   * @returns {UndoHistory<Values> | null}
   */
  static unpacked(kept) {
    if (typeof kept !== "object" || kept === null || !("first" in kept) || !("changes" in kept) || !("at" in kept)) return null;
    const { at, first, changes } = /** @type {{ at: number, first: Values, changes: Change[] }} */ (kept);
    if (!Array.isArray(changes) || !(at >= 0 && at <= changes.length)) return null;
    const states = [first];
    for (const one of changes) states.push(changed(states[states.length - 1], one));
    const history = new UndoHistory(states[at]);
    history.past = states.slice(0, at);
    history.future = states.slice(at + 1).reverse();
    return history;
  }
}

/**
 * @typedef {Record<string, string>} Values
 * @typedef {Record<string, string | null>} Change `null` is a field that is gone.
 */

/** @param {Values} from @param {Values} to @returns {Change} */
function change(from, to) {
  /** @type {Change} */
  const found = {};
  for (const name of Object.keys(from)) if (!(name in to)) found[name] = null;
  for (const [name, value] of Object.entries(to)) if (from[name] !== value) found[name] = value;
  return found;
}

/** @param {Values} from @param {Change} by @returns {Values} */
function changed(from, by) {
  const to = { ...from };
  for (const [name, value] of Object.entries(by)) {
    if (value === null) delete to[name];
    else to[name] = value;
  }
  return to;
}
