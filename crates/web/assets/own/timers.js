// Timers count down on every page, and ring there: in the title, by a tone, in a line at the top, and as a notification where allowed.
import { all } from "./elements.js";
import { countdown } from "./text.js";

/** @typedef {{ id: number, label: string, due: string, run: number | null }} Timer */

const title = document.title;
const strip = document.querySelector("#due-timers");
/** Other pages of this browser: who learns of a timer tells the rest. */
const others = new BroadcastChannel("filamentum-timers");
/** @type {Timer[]} */
let timers = [];
/** @type {Set<number>} */
const rung = new Set();
/** Shown at the top now, so that the line is written when it changes only. */
let shown = "";

/** @param {string} label */
function ring(label) {
  try {
    const context = new AudioContext();
    const tone = context.createOscillator();
    const gain = context.createGain();
    tone.frequency.value = 660;
    gain.gain.setValueAtTime(0.15, context.currentTime);
    gain.gain.exponentialRampToValueAtTime(0.001, context.currentTime + 1.2);
    tone.connect(gain).connect(context.destination);
    tone.start();
    tone.stop(context.currentTime + 1.2);
  } catch {
    // A browser that makes no sound still shows it.
  }
  if (window.Notification?.permission === "granted") new Notification(`Due: ${label}`);
}

/** @param {Timer[]} due */
function write(due) {
  if (!(strip instanceof HTMLElement)) return;
  const now = due.map((timer) => timer.id).join(" ");
  if (now === shown) return;
  shown = now;
  strip.hidden = due.length === 0;
  strip.replaceChildren(
    ...due.map((timer) => {
      const line = document.createElement("p");
      line.className = "caution due-timer";
      const what = document.createElement("b");
      what.textContent = "Due: ";
      const link = document.createElement("a");
      link.href = timer.run ? `/runs/${timer.run}` : "/";
      link.textContent = timer.label;
      line.append(what, link);
      return line;
    }),
  );
}

/** @param {string} due @returns {number} Whole seconds until then. */
const secondsTo = (due) => Math.round((Date.parse(due) - Date.now()) / 1000);

function tick() {
  const due = timers.filter((timer) => secondsTo(timer.due) <= 0);
  for (const timer of due) {
    if (rung.has(timer.id)) continue;
    rung.add(timer.id);
    // What was due before the page opened is shown, and not rung again at every visit.
    if (secondsTo(timer.due) > -5) ring(timer.label);
  }
  for (const e of all(document, "[data-due]")) {
    const { text, isDue } = countdown(secondsTo(e.dataset.due ?? ""));
    e.textContent = text;
    e.closest(".timer")?.classList.toggle("over", isDue);
  }
  write(due);
  document.title = due.length ? `(${due.length} due) ${title}` : title;
}

// A page asks when it is opened and when somebody comes back to it, not by the clock: that would keep a session from resting.
async function ask() {
  try {
    const answer = await fetch("/timers.json", { headers: { Accept: "application/json" }, redirect: "error" });
    if (!answer.ok) return;
    timers = await answer.json();
    others.postMessage(timers);
    tick();
  } catch {
    // Signed out, or no connection: what is known goes on.
  }
}

others.addEventListener("message", (event) => {
  timers = event.data;
  tick();
});
document.addEventListener("visibilitychange", () => {
  if (document.visibilityState === "visible") void ask();
});
document.querySelector("[data-allow]")?.addEventListener("click", () => window.Notification?.requestPermission());
void ask();
setInterval(tick, 1000);
