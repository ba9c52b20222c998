// An order while it is taken: when it could be ready, beside all that is planned.
import { byId } from "./elements.js";

const form = byId("order", HTMLFormElement);
const button = byId("ask-promise", HTMLButtonElement);
const told = byId("promise", HTMLElement);

button.addEventListener("click", async () => {
  const body = new URLSearchParams();
  for (const [name, value] of new FormData(form)) body.append(name, String(value));
  button.disabled = true;
  told.textContent = "Planning";
  try {
    const answer = await fetch("/orders/promise", { method: "POST", body, signal: AbortSignal.timeout(20_000) });
    if (!answer.ok) throw new Error("no answer");
    /** @type {{ errors: Record<string, string>, text: string }} */
    const { errors, text } = await answer.json();
    for (const e of form.querySelectorAll(".error")) e.textContent = errors[e.id.slice(2)] ?? "";
    told.textContent = text;
  } catch {
    told.textContent = "No connection; nothing is lost.";
  }
  button.disabled = false;
});
