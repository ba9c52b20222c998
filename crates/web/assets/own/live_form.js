// A form of which the server says what it means while it is filled in: new figures while fields change, messages at fields, and the fields
// anew after a step of the whole form.
import { around } from "./elements.js";

/**
 * The server's answer to a change.
 * @typedef {object} Answer
 * @property {Record<string, string>} errors
 * @property {string} figures
 * @property {string | null} fields The fields anew, after a step.
 */

/** How long one waits for the next key before figures are asked for, ms. */
const PAUSE_MS = 120;

/**
 * Keeps a form's figures up to date.
 * @param {object} of
 * @param {HTMLFormElement} of.form
 * @param {HTMLElement} of.fields What is put anew after a step.
 * @param {HTMLElement} of.figures
 * @param {HTMLElement} of.status
 * @param {string} of.url Where it is asked.
 * @param {string} of.others Fields whose change alters the others.
 * @param {(figures: HTMLElement) => void} of.drawn Called with figures that were put anew.
 * @returns {{ ask: (step?: string) => void, mark: (errors: Record<string, string>) => void }}
 */
export function liveForm({ form, fields, figures, status, url, others, drawn }) {
  let asked = 0;
  let answered = 0;
  /** Ends when the last step is answered: what is asked after it must hold it. */
  let stepping = Promise.resolve();
  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let pause;

  /** @param {Record<string, string>} errors */
  function mark(errors) {
    for (const e of fields.querySelectorAll("input, select")) {
      const message = errors[e.getAttribute("name") ?? ""] ?? "";
      e.classList.toggle("is-invalid", message !== "");
      if (message) e.setAttribute("aria-invalid", "true");
      else e.removeAttribute("aria-invalid");
    }
    for (const e of fields.querySelectorAll(".error")) e.textContent = errors[e.id.slice(2)] ?? "";
  }

  /** What is typed or chosen, by name; boxes and hidden fields are left to the server. */
  function typed() {
    /** @type {Map<string, string>} */
    const all = new Map();
    for (const e of fields.querySelectorAll("input, select")) {
      const isTyped = e instanceof HTMLSelectElement || (e instanceof HTMLInputElement && !["checkbox", "radio", "hidden"].includes(e.type));
      if (isTyped && e.name) all.set(e.name, e.value);
    }
    return all;
  }

  /**
   * Puts the fields anew, and into them what was changed since the answer was asked for.
   * @param {string} anew
   * @param {Map<string, string>} sent
   */
  function renew(anew, sent) {
    const focused = document.activeElement?.id || document.activeElement?.getAttribute("name");
    const later = [...typed()].filter(([name, value]) => sent.has(name) && sent.get(name) !== value);
    fields.innerHTML = anew;
    for (const [name, value] of later) {
      const field = fields.querySelector(`[name="${name}"]`);
      if (field instanceof HTMLInputElement || field instanceof HTMLSelectElement) field.value = value;
    }
    const again = focused && fields.querySelector(`[id="${focused}"], [name="${focused}"]`);
    if (again instanceof HTMLElement) again.focus();
  }

  /** @param {string} step */
  async function send(step) {
    const mine = ++asked;
    const body = new URLSearchParams();
    for (const [name, value] of new FormData(form)) body.append(name, String(value));
    body.set("step", step);
    const sent = typed();
    try {
      const answer = await fetch(url, { method: "POST", body, signal: AbortSignal.timeout(20_000) });
      if (answer.redirected || answer.status === 403) throw new Error("Sign in again in another tab, then continue here.");
      if (!answer.ok) throw new Error("No figures just now.");
      /** @type {Answer} */
      const found = await answer.json();
      if (mine < answered) return;
      answered = mine;
      if (found.fields) renew(found.fields, sent);
      mark(found.errors);
      const wrong = Object.keys(found.errors).length;
      status.textContent = wrong ? "See the marked fields." : "Not saved yet";
      figures.classList.toggle("stale", wrong > 0);
      if (found.figures) {
        figures.innerHTML = found.figures;
        drawn(figures);
      }
    } catch (problem) {
      if (mine < answered) return;
      figures.classList.add("stale");
      const isOffline = !(problem instanceof Error) || ["TypeError", "TimeoutError"].includes(problem.name);
      status.textContent = isOffline ? "No connection; nothing is lost." : problem.message;
    }
  }

  /** @param {string} [step] */
  function ask(step = "") {
    clearTimeout(pause);
    const before = stepping;
    const turn = (async () => {
      await before;
      await send(step);
    })();
    if (step) stepping = turn;
  }

  form.addEventListener("input", () => {
    clearTimeout(pause);
    pause = setTimeout(() => ask(), PAUSE_MS);
  });
  form.addEventListener("change", (event) => {
    // Another design, or another pickup on, has other fields.
    const isOther = event.target instanceof Element && event.target.matches(others);
    ask(isOther ? "fields" : "");
  });
  form.addEventListener("keydown", (event) => {
    // Enter computes; saving is an act of its own, by its button.
    if (event.key !== "Enter" || !(event.target instanceof HTMLInputElement)) return;
    event.preventDefault();
    ask();
  });
  fields.addEventListener("click", (event) => {
    const step = around(event, "[data-step]")?.dataset.step;
    if (step) ask(step);
  });

  return { ask, mark };
}
