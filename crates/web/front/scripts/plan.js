// The plan while it is made: a better one takes the place of the first, and bars are walked with the arrow keys.
import { component } from "./component.js";
import { nextBar } from "./gantt_keys.js";
import { merge } from "./merge.js";

/** How long a plan is improved, with a little more, ms. */
const IMPROVED_MS = 2600;
/** Most times that a page asks for the better plan. */
const MOST_ASKED = 4;

export const plan = component(() => ({
  asked: 0,

  init() {
    setTimeout(() => void this.renew(), IMPROVED_MS);
  },
  async renew() {
    const now = this.$refs.plan;
    if (now.dataset.improving === undefined || this.asked >= MOST_ASKED) return;
    this.asked += 1;
    // Nobody loses what they are typing or reading: a form that is open stays.
    if (!now.querySelector("details[open], input:focus, select:focus")) {
      try {
        const answer = await fetch(location.href, { headers: { Accept: "text/html" }, redirect: "error" });
        const page = new DOMParser().parseFromString(answer.ok ? await answer.text() : "", "text/html");
        for (const name of ["plan", "state"]) {
          const better = page.querySelector(`[x-ref="${name}"]`);
          if (!(better instanceof HTMLElement)) continue;
          if (better.dataset.improving === undefined) delete this.$refs[name].dataset.improving;
          merge(this.$refs[name], better.innerHTML);
        }
      } catch {
        // The first plan stays.
      }
    }
    setTimeout(() => void this.renew(), IMPROVED_MS);
  },
}));

export const gantt = component(() => ({
  bars() {
    return [...this.$root.querySelectorAll("[data-row]")].filter((bar) => bar instanceof SVGElement);
  },
  init() {
    // Not in the markup, where a drawing is a document by itself and has names of XML.
    this.$root.addEventListener("keydown", (event) => this.walk(event));
    // One of them can be tabbed to; from there arrow keys lead on.
    this.bars().forEach((bar, i) => bar.setAttribute("tabindex", i === 0 ? "0" : "-1"));
  },
  /** @param {KeyboardEvent} event */
  walk(event) {
    const bars = this.bars();
    const keys = ["ArrowRight", "ArrowLeft", "ArrowUp", "ArrowDown", "Home", "End"];
    const from = bars.findIndex((bar) => bar === document.activeElement);
    if (!keys.includes(event.key) || from < 0) return;
    event.preventDefault();
    const places = bars.map((bar) => ({
      row: Number(bar.getAttribute("data-row")),
      left: Number(bar.querySelector("rect")?.getAttribute("x")),
    }));
    const bar = bars[nextBar(places, from, event.key)];
    for (const other of bars) other.setAttribute("tabindex", other === bar ? "0" : "-1");
    bar?.focus();
  },
}));
