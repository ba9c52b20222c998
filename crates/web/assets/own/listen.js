// Listening: both sounds run at once, and one is heard; switching changes nothing else.
"use strict";
(() => {
  let context = null;
  let running = null;
  let heard = "a";

  const show = (text) => {
    const status = document.getElementById("listen-status");
    if (status) status.textContent = text;
  };
  const press = () => {
    for (const which of ["a", "b"]) {
      document.querySelector(`[data-listen="${which}"]`)?.setAttribute("aria-pressed", String(heard === which));
    }
  };

  async function sound(which) {
    const body = new URLSearchParams(/** @type {any} */ (new FormData(document.querySelector("form#sheet"))));
    body.set("listen_which", which);
    const answer = await fetch("/designs/audition", { method: "POST", body });
    if (answer.redirected) throw new Error("Sign in again in another tab, then continue here.");
    if (!answer.ok) throw new Error("Nothing to play: correct the marked fields, or choose another pickup.");
    return { bytes: await answer.arrayBuffer(), louder: Number(answer.headers.get("Filamentum-Louder")) };
  }

  function stop() {
    if (!running) return;
    for (const voice of Object.values(running.voices)) voice.source.stop();
    cancelAnimationFrame(running.frame);
    running = null;
    const progress = document.getElementById("listen-progress");
    if (progress) progress.value = 0;
    show("");
  }

  function listen(which) {
    heard = which;
    press();
    if (!running) return;
    for (const [name, voice] of Object.entries(running.voices)) {
      voice.gain.gain.setTargetAtTime(name === heard ? 1 : 0, context.currentTime, 0.008);
    }
    showLevel();
  }
  function showLevel() {
    const { louder } = running;
    const level = Math.abs(louder) < 0.05 ? "B is as loud as A" : `B is ${Math.abs(louder).toFixed(1)} dB ${louder > 0 ? "louder" : "softer"} than A`;
    show(`Playing ${heard.toUpperCase()}. At true level ${level}.`);
  }

  async function play() {
    stop();
    show("Computing both sounds …");
    const [a, b] = await Promise.all([sound("a"), sound("b")]);
    context ??= new AudioContext();
    // Not waited for: a browser that holds sound back until it is touched would hold the page back.
    void context.resume();
    const voices = {};
    const begin = context.currentTime + 0.05;
    let length = 0;
    for (const [name, got] of Object.entries({ a, b })) {
      const source = context.createBufferSource();
      source.buffer = await context.decodeAudioData(got.bytes);
      length = Math.max(length, source.buffer.duration);
      const gain = context.createGain();
      gain.gain.value = name === heard ? 1 : 0;
      source.connect(gain).connect(context.destination);
      voices[name] = { source, gain };
    }
    running = { voices, louder: a.louder, frame: 0 };
    for (const voice of Object.values(voices)) voice.source.start(begin);
    voices.a.source.onended = () => { if (running?.voices === voices) stop(); };
    showLevel();
    const tick = () => {
      if (running?.voices !== voices) return;
      const progress = document.getElementById("listen-progress");
      if (!progress) return stop();
      progress.value = Math.min(1, Math.max(0, (context.currentTime - begin) / length));
      running.frame = requestAnimationFrame(tick);
    };
    tick();
  }

  async function keep(which) {
    show("Computing …");
    const { bytes } = await sound(which);
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([bytes], { type: "audio/wav" }));
    link.download = `filamentum-${which}.wav`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
    show("");
  }

  document.addEventListener("click", async (event) => {
    const what = event.target.closest("[data-listen]")?.dataset.listen;
    if (!what) return;
    try {
      if (what === "play") await play();
      else if (what === "stop") stop();
      else if (what.startsWith("wav-")) await keep(what.slice(4));
      else listen(what);
    } catch (problem) {
      show(problem instanceof TypeError ? "No connection; nothing is lost." : problem.message);
    }
  });
})();
