// Long work: how far it is and how long it will take; the page is loaded again when it is done.
import { timeLeft } from "./text.js";

/** @param {HTMLElement} box */
function follow(box) {
  const bar = box.querySelector("progress");
  const left = box.querySelector("[data-left]");
  const began = Date.now();
  const ask = async () => {
    let words = "";
    try {
      const { share, done } = await (await fetch(box.dataset.job ?? "")).json();
      if (done) return location.reload();
      if (bar) bar.value = 100 * share;
      words = timeLeft(share, (Date.now() - began) / 1000);
    } catch {
      words = "no answer; trying again";
    }
    if (left && words) left.textContent = words;
    setTimeout(ask, 700);
  };
  void ask();
}

const box = document.querySelector("[data-job]");
if (box instanceof HTMLElement) follow(box);
