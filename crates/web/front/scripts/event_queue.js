// Events on their way to the server: kept in the browser, sent in order, each until the server has it.

/**
 * @typedef {{ key: string, [field: string]: string }} QueuedEvent
 * @typedef {"sent" | "refused" | "signed-out" | "unavailable"} Outcome What became of one event.
 */

/**
 * What became of an event, by the server's answer.
 * @param {{ ok: boolean, redirected: boolean, status: number }} answer
 * @returns {Outcome}
 */
export function outcomeOf(answer) {
  if (answer.redirected || answer.status === 401 || answer.status === 403) return "signed-out";
  // What the server refuses it will refuse later too.
  if ([400, 404, 409, 422].includes(answer.status)) return "refused";
  return answer.ok ? "sent" : "unavailable";
}

/**
 * A key that marks an event, so that it is in the log once however often it is sent.
 * @returns {string} 32 hexadecimal digits.
 */
export const newKey = () =>
  [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

export class EventQueue {
  /**
   * @param {Pick<Storage, "getItem" | "setItem">} storage
   * @param {string} name Its place there.
   * @param {(event: QueuedEvent) => Promise<Outcome>} post Sends one; a rejection counts as no connection.
   * @param {(count: number) => void} changed Told how many wait.
   */
  constructor(storage, name, post, changed) {
    this.storage = storage;
    this.name = name;
    this.post = post;
    this.changed = changed;
    this.isSending = false;
  }

  /** @returns {QueuedEvent[]} What waits; nothing where the store cannot be read. */
  waiting() {
    try {
      const kept = JSON.parse(this.storage.getItem(this.name) ?? "[]");
      return Array.isArray(kept) ? kept : [];
    } catch {
      return [];
    }
  }

  /** @param {QueuedEvent[]} events */
  keep(events) {
    this.storage.setItem(this.name, JSON.stringify(events));
    this.changed(events.length);
  }

  /**
   * Adds an event and sends what waits.
   * @param {QueuedEvent} event
   */
  add(event) {
    this.keep([...this.waiting(), event]);
    return this.send();
  }

  /**
   * Sends what waits, in order, until one cannot be sent.
   * @returns {Promise<Outcome>} What became of the last one tried.
   */
  async send() {
    if (this.isSending) return "sent";
    this.isSending = true;
    /** @type {Outcome} */
    let outcome = "sent";
    try {
      for (let events = this.waiting(); events.length; events = this.waiting()) {
        outcome = await this.post(events[0]);
        if (outcome === "signed-out" || outcome === "unavailable") break;
        this.keep(this.waiting().slice(1));
      }
    } catch {
      outcome = "unavailable";
    } finally {
      this.isSending = false;
    }
    return outcome;
  }
}
