// The plan while it is made: a better one is put in place of the first, and bars are walked with the arrow keys.
import { nextBar } from "./gantt_keys.js";

/** How long a plan is improved, with a little more, ms. */
const IMPROVED_MS = 2600;
/** Most times that a page asks for the better plan. */
const MOST_ASKED = 4;
let asked = 0;

async function renew() {
  const plan = document.querySelector("#plan[data-improving]");
  if (!plan || asked >= MOST_ASKED) return;
  asked += 1;
  // Nobody loses what they are typing or reading: a form that is open stays.
  const isBusy = plan.querySelector("details[open], input:focus, select:focus") !== null;
  if (!isBusy) {
    try {
      const answer = await fetch(location.href, { headers: { Accept: "text/html" }, redirect: "error" });
      const page = new DOMParser().parseFromString(answer.ok ? await answer.text() : "", "text/html");
      for (const id of ["plan", "plan-state"]) {
        const better = page.getElementById(id);
        if (better) document.getElementById(id)?.replaceWith(document.importNode(better, true));
      }
    } catch {
      // The first plan stays.
    }
  }
  setTimeout(() => void renew(), IMPROVED_MS);
}
setTimeout(() => void renew(), IMPROVED_MS);

for (const drawing of document.querySelectorAll("svg.gantt")) {
  const bars = [...drawing.querySelectorAll("[data-row]")];
  const places = bars.map((bar) => ({
    row: Number(bar.getAttribute("data-row")),
    left: Number(bar.querySelector("rect")?.getAttribute("x")),
  }));
  // One of them can be tabbed to; from there arrow keys lead on.
  bars.forEach((bar, i) => bar.setAttribute("tabindex", i === 0 ? "0" : "-1"));
  drawing.addEventListener("keydown", (event) => {
    const keys = ["ArrowRight", "ArrowLeft", "ArrowUp", "ArrowDown", "Home", "End"];
    const from = bars.findIndex((bar) => bar === document.activeElement);
    if (!(event instanceof KeyboardEvent) || !keys.includes(event.key) || from < 0) return;
    event.preventDefault();
    const bar = bars[nextBar(places, from, event.key)];
    for (const other of bars) other.setAttribute("tabindex", other === bar ? "0" : "-1");
    if (bar instanceof SVGElement) bar.focus();
  });
}
