// Long pick-lists are searched: a field above the list keeps only the entries that hold all words typed.
import { component } from "./component.js";
import { as } from "./elements.js";

/**
 * Whether an entry holds every word, in any order and whatever their case.
 * @param {string} entry
 * @param {string} words
 */
export function holds(entry, words) {
  const text = entry.toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

export const picker = component(() => ({
  words: "",
  /** The whole list; the library does not watch it. */
  all: /** @type {() => HTMLOptionElement[]} */ (() => []),

  init() {
    const all = [...this.list().options];
    this.all = () => all;
  },
  list() {
    return as(this.$refs.list, HTMLSelectElement);
  },
  narrow() {
    const list = this.list();
    const chosen = list.value;
    const isFitting = (/** @type {HTMLOptionElement} */ entry) => entry.value !== "" && holds(entry.text, this.words);
    const found = this.all().filter((entry) => entry.value === chosen || entry.value === "" || isFitting(entry));
    list.replaceChildren(...found);
    list.value = chosen;
    // One entry that fits is what is meant.
    const fitting = this.words.trim() ? found.filter(isFitting) : [];
    const only = fitting.length === 1 ? fitting[0] : undefined;
    if (!only || only.value === chosen) return;
    list.value = only.value;
    list.dispatchEvent(new Event("change", { bubbles: true }));
  },
}));
