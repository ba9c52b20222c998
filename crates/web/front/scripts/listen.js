// Listening: both sounds run at once, and one is heard; switching changes nothing else.
import { component } from "./component.js";
import { as, bodyOf, download } from "./elements.js";

/** @typedef {"a" | "b"} Which */
/** @typedef {{ source: AudioBufferSourceNode, gain: GainNode }} Voice */
/** @typedef {{ voices: Record<Which, Voice>, louder: number, context: AudioContext }} Running */

/** The browser's sound, made when it is wanted first. @type {AudioContext | null} */
let context = null;
/** What is heard; the library does not watch it. @type {Running | null} */
let running = null;

/**
 * A sound on its way to the ears, not started yet.
 * @param {AudioContext} on
 * @param {ArrayBuffer} bytes
 * @param {boolean} isHeard
 * @returns {Promise<Voice>}
 */
async function voice(on, bytes, isHeard) {
  const source = on.createBufferSource();
  source.buffer = await on.decodeAudioData(bytes);
  const gain = on.createGain();
  gain.gain.value = isHeard ? 1 : 0;
  source.connect(gain).connect(on.destination);
  return { source, gain };
}

/**
 * @param {string} url Where the sounds come from.
 * @param {string} form The id of the form that they are of.
 */
export const listen = component((url = "", form = "") => ({
  /** @type {Which} */
  heard: "a",
  share: 0,
  status: "",

  percent() {
    return Math.round(100 * this.share);
  },
  /**
   * Does something with sounds, and says why it could not.
   * @param {() => Promise<void>} act
   */
  async attempt(act) {
    try {
      await act();
    } catch (problem) {
      const isKnown = problem instanceof Error && !(problem instanceof TypeError);
      this.status = isKnown ? problem.message : "No connection; nothing is lost.";
    }
  },
  /** @param {Which} which */
  async sound(which) {
    const body = bodyOf(as(document.getElementById(form), HTMLFormElement));
    for (const choice of this.$root.querySelectorAll("select")) body.set(choice.name, choice.value);
    body.set("listen_which", which);
    const answer = await fetch(url, { method: "POST", body });
    if (answer.redirected) throw new Error("Sign in again in another tab, then continue here.");
    if (!answer.ok) throw new Error("Nothing to play: correct the marked fields, or choose another pickup.");
    return { bytes: await answer.arrayBuffer(), louder: Number(answer.headers.get("Filamentum-Louder")) };
  },
  play() {
    return this.attempt(async () => {
      this.stop();
      this.status = "Computing both sounds …";
      const [a, b] = await Promise.all([this.sound("a"), this.sound("b")]);
      const on = (context ??= new AudioContext());
      // Not waited for: a browser that holds sound back until it is touched would hold the page back.
      void on.resume();
      const begin = on.currentTime + 0.05;
      const voices = {
        a: await voice(on, a.bytes, this.heard === "a"),
        b: await voice(on, b.bytes, this.heard === "b"),
      };
      const mine = { voices, louder: a.louder, context: on };
      running = mine;
      for (const { source } of Object.values(voices)) source.start(begin);
      voices.a.source.onended = () => {
        if (running === mine) this.stop();
      };
      this.say();
      this.follow(mine, begin);
    });
  },
  /**
   * @param {Running} mine
   * @param {number} begin
   */
  follow(mine, begin) {
    const length = Math.max(...Object.values(mine.voices).map((v) => v.source.buffer?.duration ?? 0));
    const tick = () => {
      if (running !== mine) return;
      if (!this.$root.isConnected) return this.stop();
      this.share = Math.min(1, Math.max(0, (mine.context.currentTime - begin) / length));
      requestAnimationFrame(tick);
    };
    tick();
  },
  stop() {
    for (const { source } of Object.values(running?.voices ?? {})) source.stop();
    running = null;
    [this.share, this.status] = [0, ""];
  },
  /** Which is heard, and how the levels stand. */
  say() {
    if (!running) return;
    const by = Math.abs(running.louder);
    const level = by < 0.05 ? "B is as loud as A" : `B is ${by.toFixed(1)} dB ${running.louder > 0 ? "louder" : "softer"} than A`;
    this.status = `Playing ${this.heard.toUpperCase()}. At true level ${level}.`;
  },
  /** @param {Which} which */
  hear(which) {
    this.heard = which;
    if (!running) return;
    for (const [name, { gain }] of Object.entries(running.voices)) {
      gain.gain.setTargetAtTime(name === which ? 1 : 0, running.context.currentTime, 0.008);
    }
    this.say();
  },
  /** @param {Which} which */
  keep(which) {
    return this.attempt(async () => {
      this.status = "Computing …";
      const { bytes } = await this.sound(which);
      download(new Blob([bytes], { type: "audio/wav" }), `filamentum-${which}.wav`);
      this.status = "";
    });
  },
}));
