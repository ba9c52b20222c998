// Timers count down, and ring: in the title, by a tone, and as a notification where that is allowed.
import { all } from "./elements.js";
import { countdown } from "./text.js";

const title = document.title;
/** @type {Set<string | undefined>} */
const rung = new Set();

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

function tick() {
  let due = 0;
  for (const e of all(document, "[data-due]")) {
    const seconds = Math.round((Date.parse(e.dataset.due ?? "") - Date.now()) / 1000);
    const { text, isDue } = countdown(seconds);
    e.textContent = text;
    e.closest(".timer")?.classList.toggle("over", isDue);
    if (!isDue) continue;
    due += 1;
    if (!rung.has(e.dataset.id)) {
      // What was due before the page opened is shown, and not rung again at every visit.
      if (seconds > -5) ring(e.dataset.label ?? "");
      rung.add(e.dataset.id);
    }
  }
  document.title = due ? `(${due} due) ${title}` : title;
}

tick();
setInterval(tick, 1000);
document.querySelector("[data-allow]")?.addEventListener("click", () => window.Notification?.requestPermission());
