// Timers count down on every page, and ring there: in the title, by a tone, in a line in a corner, and as a notification where allowed.
import Alpine from "@alpinejs/csp";
import { component } from "./component.js";
import { countdown } from "./text.js";

/** @typedef {{ id: number, label: string, due: string, run: number | null }} Timer */
/**
 * @typedef {object} TimerStore
 * @property {Timer[]} all
 * @property {number} now Milliseconds since 1970; it goes on every second.
 */

/** @returns {TimerStore} */
export const timerStore = () => ({ all: [], now: Date.now() });

/** Timers that were due at most so long before the page opened ring on it, s. */
const LATELY_S = 5;

function ring() {
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
}

/**
 * @param {string} due
 * @param {number} now ms
 * @returns {number} Whole seconds until then.
 */
const secondsTo = (due, now) => Math.round((Date.parse(due) - now) / 1000);

/** The lines in a corner of every page: one for each timer that is due. */
export const dueTimers = component(() => ({
  title: document.title,
  /** Other pages of this browser: who learns of a timer tells the rest. */
  others: new BroadcastChannel("filamentum-timers"),
  rung: /** @type {number[]} */ ([]),
  /** @type {Timer[]} */
  due: [],
  /** Timers that somebody has seen and put away, in this tab. */
  hidden: Alpine.$persist(/** @type {number[]} */ ([])).as("hidden-timers").using(sessionStorage),

  init() {
    this.others.addEventListener("message", (event) => this.take(event.data));
    document.addEventListener("visibilitychange", () => {
      if (document.visibilityState === "visible") void this.ask();
    });
    void this.ask();
    setInterval(() => this.tick(), 1000);
  },
  // A page asks when it is opened and when somebody comes back to it, not by the clock: that would keep a session from resting.
  async ask() {
    try {
      const answer = await fetch("/timers.json", { headers: { Accept: "application/json" }, redirect: "error" });
      if (!answer.ok) return;
      const timers = await answer.json();
      this.others.postMessage(timers);
      this.take(timers);
    } catch {
      // Signed out, or no connection: what is known goes on.
    }
  },
  /** @param {Timer[]} timers */
  take(timers) {
    this.$store.timers.all = timers;
    this.tick();
  },
  tick() {
    const { timers } = this.$store;
    timers.now = Date.now();
    const due = timers.all.filter((timer) => secondsTo(timer.due, timers.now) <= 0);
    for (const timer of due) {
      if (this.rung.includes(timer.id)) continue;
      this.rung.push(timer.id);
      // What was due before the page opened is shown, and not rung again at every visit.
      if (secondsTo(timer.due, timers.now) <= -LATELY_S) continue;
      ring();
      if (window.Notification?.permission === "granted") new Notification(`Due: ${timer.label}`);
    }
    const shown = due.filter(({ id }) => !this.hidden.includes(id));
    if (String(shown.map(({ id }) => id)) !== String(this.due.map(({ id }) => id))) this.due = shown;
    document.title = due.length ? `(${due.length} due) ${this.title}` : this.title;
  },
  /** @param {Timer} timer */
  hide(timer) {
    this.hidden.push(timer.id);
    this.tick();
  },
  /** @param {Timer} timer */
  link(timer) {
    return timer.run ? `/runs/${timer.run}` : "/";
  },
}));

/** A timer where it is listed. */
export const timer = component((due = "") => ({
  text() {
    return countdown(secondsTo(due, this.$store.timers.now)).text;
  },
  isDue() {
    return secondsTo(due, this.$store.timers.now) <= 0;
  },
  allow() {
    void window.Notification?.requestPermission();
  },
}));
