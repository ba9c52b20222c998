// Listening: both sounds run at once, and one is heard; switching changes nothing else.
import { around, download } from "./elements.js";

/** @typedef {"a" | "b"} Which */
/** @typedef {{ source: AudioBufferSourceNode, gain: GainNode }} Voice */
/** @typedef {{ voices: Record<Which, Voice>, louder: number, frame: number, context: AudioContext }} Running */

/** @type {AudioContext | null} */
let context = null;
/** @type {Running | null} */
let running = null;
/** @type {Which} */
let heard = "a";

/** @param {string} text */
function show(text) {
  const status = document.getElementById("listen-status");
  if (status) status.textContent = text;
}

function press() {
  for (const which of ["a", "b"]) {
    document.querySelector(`[data-listen="${which}"]`)?.setAttribute("aria-pressed", String(heard === which));
  }
}

/** @returns {HTMLProgressElement | null} */
function progress() {
  const found = document.getElementById("listen-progress");
  return found instanceof HTMLProgressElement ? found : null;
}

/** @param {Which} which */
async function sound(which) {
  // A set's panel stands beside its form, and names where its sounds come from.
  const panel = document.querySelector("[data-listen-from]");
  const form = document.querySelector(panel ? "form#set-form" : "form#sheet");
  if (!(form instanceof HTMLFormElement)) throw new Error("There is no sheet on this page.");
  const body = new URLSearchParams();
  for (const [name, value] of new FormData(form)) body.append(name, String(value));
  for (const choice of panel?.querySelectorAll("select") ?? []) body.set(choice.name, choice.value);
  body.set("listen_which", which);
  const from = panel?.getAttribute("data-listen-from") ?? "/designs/audition";
  const answer = await fetch(from, { method: "POST", body });
  if (answer.redirected) throw new Error("Sign in again in another tab, then continue here.");
  if (!answer.ok) throw new Error("Nothing to play: correct the marked fields, or choose another pickup.");
  return { bytes: await answer.arrayBuffer(), louder: Number(answer.headers.get("Filamentum-Louder")) };
}

function stop() {
  if (!running) return;
  for (const voice of Object.values(running.voices)) voice.source.stop();
  cancelAnimationFrame(running.frame);
  running = null;
  const bar = progress();
  if (bar) bar.value = 0;
  show("");
}

/** @param {Running} of */
function showLevel({ louder }) {
  const by = Math.abs(louder);
  const level = by < 0.05 ? "B is as loud as A" : `B is ${by.toFixed(1)} dB ${louder > 0 ? "louder" : "softer"} than A`;
  show(`Playing ${heard.toUpperCase()}. At true level ${level}.`);
}

/** @param {Which} which */
function listen(which) {
  heard = which;
  press();
  if (!running) return;
  for (const [name, voice] of Object.entries(running.voices)) {
    voice.gain.gain.setTargetAtTime(name === heard ? 1 : 0, running.context.currentTime, 0.008);
  }
  showLevel(running);
}

/**
 * A sound on its way to the ears, not started yet.
 * @param {AudioContext} on
 * @param {ArrayBuffer} bytes
 * @param {Which} which
 * @returns {Promise<Voice>}
 */
async function voice(on, bytes, which) {
  const source = on.createBufferSource();
  source.buffer = await on.decodeAudioData(bytes);
  const gain = on.createGain();
  gain.gain.value = which === heard ? 1 : 0;
  source.connect(gain).connect(on.destination);
  return { source, gain };
}

async function play() {
  stop();
  show("Computing both sounds …");
  const [a, b] = await Promise.all([sound("a"), sound("b")]);
  const on = context ??= new AudioContext();
  // Not waited for: a browser that holds sound back until it is touched would hold the page back.
  void on.resume();
  const begin = on.currentTime + 0.05;
  const voices = { a: await voice(on, a.bytes, "a"), b: await voice(on, b.bytes, "b") };
  const length = Math.max(...Object.values(voices).map((v) => v.source.buffer?.duration ?? 0));
  /** @type {Running} */
  const mine = { voices, louder: a.louder, frame: 0, context: on };
  running = mine;
  for (const { source } of Object.values(voices)) source.start(begin);
  voices.a.source.onended = () => { if (running === mine) stop(); };
  showLevel(mine);
  const tick = () => {
    if (running !== mine) return;
    const bar = progress();
    if (!bar) return stop();
    bar.value = Math.min(1, Math.max(0, (on.currentTime - begin) / length));
    mine.frame = requestAnimationFrame(tick);
  };
  tick();
}

/** @param {Which} which */
async function keep(which) {
  show("Computing …");
  const { bytes } = await sound(which);
  download(new Blob([bytes], { type: "audio/wav" }), `filamentum-${which}.wav`);
  show("");
}

document.addEventListener("click", async (event) => {
  const what = around(event, "[data-listen]")?.dataset.listen;
  if (!what) return;
  try {
    if (what === "play") await play();
    else if (what === "stop") stop();
    else if (what === "wav-a" || what === "wav-b") await keep(what === "wav-a" ? "a" : "b");
    else if (what === "a" || what === "b") listen(what);
  } catch (problem) {
    show(problem instanceof Error && !(problem instanceof TypeError) ? problem.message : "No connection; nothing is lost.");
  }
});
