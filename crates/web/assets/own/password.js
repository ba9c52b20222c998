// Shows how strong a new password is while it is typed. The server weighs it: what counts when the form is sent is shown here.

/** How strong each score is, in words. */
export const WORDS = ["very weak", "weak", "weak", "good", "strong"];

/**
 * What is shown for an answer.
 * @param {{score: number, problem: string}} answer
 * @returns {string}
 */
export function advice(answer) {
  return answer.problem === "" ? `Strength: ${WORDS[answer.score] ?? ""}.` : answer.problem;
}

/**
 * Lets a field show the strength of what is typed in it.
 * @param {HTMLInputElement} field
 */
export function watch(field) {
  const form = field.form;
  if (!form) return;
  const meter = document.createElement("meter");
  meter.max = 4;
  meter.low = 2.5;
  meter.high = 3.5;
  meter.optimum = 4;
  meter.setAttribute("aria-hidden", "true");
  const text = document.createElement("p");
  text.className = "hint strength";
  text.setAttribute("role", "status");
  field.after(meter, text);
  // Its place is kept while it says nothing, so that what stands below does not move from under a finger.
  meter.style.visibility = "hidden";
  let asked = 0;
  let timer = 0;
  const ask = async () => {
    const turn = ++asked;
    const body = new URLSearchParams();
    for (const name of ["csrf", "workshop", "name", "sign_in"]) {
      const value = new FormData(form).get(name);
      if (typeof value === "string") body.set(name, value);
    }
    body.set("password", field.value);
    const answer = await fetch("/password-strength", { method: "POST", body });
    // A slower answer to an earlier letter is late.
    if (turn !== asked || !answer.ok) return;
    const found = /** @type {{score: number, problem: string}} */ (await answer.json());
    meter.style.visibility = field.value === "" ? "hidden" : "visible";
    meter.value = found.problem === "" ? found.score : Math.min(found.score, 2);
    text.textContent = field.value === "" ? "" : advice(found);
  };
  field.addEventListener("input", () => {
    clearTimeout(timer);
    timer = window.setTimeout(() => void ask().catch(() => {}), 250);
  });
}

if (typeof document !== "undefined") {
  for (const field of document.querySelectorAll("input[name=password][autocomplete=new-password]")) {
    if (field instanceof HTMLInputElement) watch(field);
  }
}
