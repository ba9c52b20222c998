// Long work on the server: how far it is and how long it will take.
import { component } from "./component.js";
import { timeLeft } from "./text.js";

/** How often it is asked after, ms. */
const EVERY_MS = 250;

/**
 * Follows work until it is done.
 * @template {{ done: boolean, share: number }} T
 * @param {string} url
 * @param {(share: number, words: string) => void} tell Called with how far it is, 0 to 1, and how long it will take.
 * @returns {Promise<T>} The last answer.
 */
export async function follow(url, tell) {
  const began = Date.now();
  for (;;) {
    /** @type {T} */
    const found = await (await fetch(url)).json();
    tell(found.share, timeLeft(found.share, (Date.now() - began) / 1000));
    if (found.done) return found;
    await new Promise((next) => setTimeout(next, EVERY_MS));
  }
}

/** A page of its own for some work: it is loaded again when that is done. */
export const job = component((url = "") => ({
  share: 0,
  left: "",

  percent() {
    return Math.round(100 * this.share);
  },
  async init() {
    for (;;) {
      try {
        await follow(url, (share, words) => {
          [this.share, this.left] = [share, words];
        });
        location.reload();
        return;
      } catch {
        this.left = "no answer; trying again";
        await new Promise((next) => setTimeout(next, 1000));
      }
    }
  },
}));
