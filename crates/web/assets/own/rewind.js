// An examined pickup while its sheet is filled in: what it can be with every reading, and a curve that is fitted.
import { around, byId } from "./elements.js";
import { liveForm } from "./live_form.js";

const form = byId("sheet", HTMLFormElement);
const figures = byId("sheet-figures", HTMLElement);
const { ask } = liveForm({
  form,
  fields: byId("sheet-fields", HTMLElement),
  figures,
  status: byId("sheet-status", HTMLElement),
  url: "/rewinds/preview",
  others: "[name=kind], [name=strings], [name=pitch]",
  drawn: () => {},
});

figures.addEventListener("click", (event) => {
  const name = around(event, "[data-focus]")?.dataset.focus;
  const field = name && document.getElementById(name);
  if (!field) return;
  event.preventDefault();
  field.scrollIntoView({ block: "center" });
  field.focus();
});

const curve = byId("curve-form", HTMLFormElement);
const status = byId("curve-status", HTMLElement);
const result = byId("curve-result", HTMLElement);

curve.addEventListener("submit", async (event) => {
  event.preventDefault();
  const body = new URLSearchParams();
  for (const from of [form, curve]) {
    for (const [name, value] of new FormData(from)) body.append(name, String(value));
  }
  status.textContent = "Fitting";
  try {
    const answer = await fetch("/rewinds/curve", { method: "POST", body, signal: AbortSignal.timeout(20_000) });
    if (!answer.ok) throw new Error("No fit just now.");
    /** @type {{ errors: Record<string, string>, part: string }} */
    const { errors, part } = await answer.json();
    for (const e of curve.querySelectorAll(".error")) e.textContent = errors[e.id.slice(2)] ?? "";
    status.textContent = "";
    result.innerHTML = part;
  } catch {
    status.textContent = "No connection; nothing is lost.";
  }
});
result.addEventListener("click", (event) => {
  const taken = around(event, "[data-take]");
  const field = form.elements.namedItem(taken?.dataset.take ?? "");
  if (!(field instanceof HTMLInputElement)) return;
  field.value = taken?.dataset.value ?? "";
  field.scrollIntoView({ block: "center" });
  ask();
});
