// A form of which the server says what it means while it is filled in: new figures while fields change, messages at fields, and the fields
// anew after a step of the whole form.
import { around } from "./elements.js";
import { UndoHistory } from "./undo_history.js";

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

  /** Everything that the fields hold, for going back to it. */
  function state() {
    /** @type {Record<string, string>} */
    const all = {};
    for (const [name, value] of new FormData(form)) {
      const field = form.elements.namedItem(name);
      if (field instanceof Element && fields.contains(field)) all[name] = String(value);
    }
    return all;
  }

  const history = new UndoHistory(state());
  /** The one field that the last step changed: what is typed on there is the same step, until it is left. */
  let lately = "";
  let isLeft = false;
  /** The last question before one went back: its answer is no step any more. */
  let restored = 0;

  function remember() {
    const now = state();
    const names = new Set([...Object.keys(now), ...Object.keys(history.now)]);
    const changed = [...names].filter((name) => now[name] !== history.now[name]);
    if (changed.length === 0) {
      if (isLeft) lately = "";
      return;
    }
    const only = changed.length === 1 ? (changed[0] ?? "") : "";
    if (only && only === lately && history.past.length > 0) history.amend(now);
    else history.step(now);
    lately = isLeft ? "" : only;
    isLeft = false;
    showHistory();
  }

  function showHistory() {
    for (const [css, steps] of /** @type {const} */ ([["[data-undo]", history.past], ["[data-redo]", history.future]])) {
      const button = document.querySelector(css);
      if (button instanceof HTMLButtonElement) button.disabled = steps.length === 0;
    }
  }

  /**
   * Puts the form as it was, with its figures.
   * @param {Record<string, string> | null} to
   */
  function restore(to) {
    lately = "";
    showHistory();
    restored = asked;
    if (to) void send("fields", to);
  }

  function goBack() {
    // What was typed just now is a step as well, though nobody answered it yet.
    remember();
    restore(history.undo());
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

  /**
   * @param {string} step
   * @param {Record<string, string> | null} [instead] What stands in place of the fields, to go back to it.
   */
  async function send(step, instead = null) {
    const mine = ++asked;
    const body = new URLSearchParams();
    const own = state();
    for (const [name, value] of new FormData(form)) if (!instead || !(name in own)) body.append(name, String(value));
    for (const [name, value] of Object.entries(instead ?? {})) body.append(name, value);
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
      // What the server shows of a state may be written in another way: it is still that state.
      if (instead) history.now = state();
      else if (mine > restored) remember();
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
    isLeft = true;
    // Another design, or another pickup on, has other fields.
    const isOther = event.target instanceof Element && event.target.matches(others);
    // A field that is left is a step, whatever is typed into it before the answer is there.
    if (!isOther) remember();
    ask(isOther ? "fields" : "");
  });
  form.addEventListener("keydown", (event) => {
    // Enter computes; saving is an act of its own, by its button.
    if (event.key !== "Enter" || !(event.target instanceof HTMLInputElement)) return;
    event.preventDefault();
    ask();
  });
  document.addEventListener("click", (event) => {
    if (around(event, "[data-undo]")) goBack();
    if (around(event, "[data-redo]")) restore(history.redo());
  });
  document.addEventListener("keydown", (event) => {
    const isUndo = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z";
    const isRedo = (isUndo && event.shiftKey) || (event.ctrlKey && event.key.toLowerCase() === "y");
    if (!isUndo && !isRedo) return;
    event.preventDefault();
    if (isRedo) restore(history.redo());
    else goBack();
  });
  fields.addEventListener("click", (event) => {
    const step = around(event, "[data-step]")?.dataset.step;
    if (step) ask(step);
  });

  return { ask, mark };
}
