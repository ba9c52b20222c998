// A warm coil: read again and again until it has settled, then its reading is put into the log's form.
"use strict";
document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-cool]");
  if (!button) return;
  const status = document.getElementById("cooling");
  const csrf = document.querySelector("input[name=csrf]").value;
  let samples = "[]";
  const began = Date.now();
  button.disabled = true;
  for (let k = 0; k < 300; k++) {
    const body = new URLSearchParams({ csrf, instrument: button.dataset.cool, samples, seconds: String((Date.now() - began) / 1000) });
    let found;
    try {
      const answer = await fetch(`${location.pathname}/cooling`, { method: "POST", body });
      found = await answer.json();
    } catch {
      status.textContent = "No connection; nothing is lost.";
      break;
    }
    if (found.trouble) {
      status.textContent = found.trouble;
      break;
    }
    samples = JSON.stringify(found.samples);
    const { fit } = found;
    status.textContent = `${Math.round(found.ohms)} Ω` + (found.coil_c === null ? "" : ` at ${found.coil_c.toFixed(1)} °C`) + (fit ? `; expected to settle at ${Math.round(fit.ohms)} Ω` : "; watching it cool");
    if (fit?.settled) {
      document.querySelector("[name=resistance]").value = String(Math.round(found.ohms));
      if (found.coil_c !== null) document.querySelector("[name=coil_c]").value = found.coil_c.toFixed(1);
      status.textContent += ": settled; log it.";
      break;
    }
    await new Promise((done) => setTimeout(done, 1500));
  }
  button.disabled = false;
});
