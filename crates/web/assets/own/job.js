// Long work: how far it is and how long it will take; the page is loaded again when it is done.
"use strict";
const box = document.querySelector("[data-job]");
if (box) {
  const bar = box.querySelector("progress");
  const left = box.querySelector("[data-left]");
  const began = Date.now();
  const ask = async () => {
    try {
      const { share, done } = await (await fetch(box.dataset.job)).json();
      if (done) return location.reload();
      bar.value = 100 * share;
      const seconds = (Date.now() - began) / 1000;
      if (share > 0.05) left.textContent = `about ${Math.ceil((seconds * (1 - share)) / share)} s left`;
    } catch {
      left.textContent = "no answer; trying again";
    }
    setTimeout(ask, 700);
  };
  ask();
}
