// A set while it is edited: new figures while fields change, steps of the whole form, and pickups dragged along the strings.
import { around, byId } from "./elements.js";
import { plots } from "./plot.js";
import { timeLeft } from "./text.js";

/**
 * The server's answer to a change.
 * @typedef {object} Answer
 * @property {Record<string, string>} errors
 * @property {string} figures
 * @property {string | null} fields The fields anew, after a step.
 */

/** How long one waits for the next key before figures are asked for, ms. */
const PAUSE_MS = 120;
const form = byId("set-form", HTMLFormElement);
const fields = byId("set-fields", HTMLElement);
const figures = byId("set-figures", HTMLElement);
const status = byId("set-status", HTMLElement);

let asked = 0;
let answered = 0;
/** Ends when the last step is answered: what is asked after it must hold it. */
let stepping = Promise.resolve();
/** @type {ReturnType<typeof setTimeout> | undefined} */
let pause;

/** @param {string} name @returns {HTMLInputElement | null} */
const input = (name) => {
  const found = form.elements.namedItem(name);
  return found instanceof HTMLInputElement ? found : null;
};

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

/** @param {string} step */
async function send(step) {
  const mine = ++asked;
  const body = new URLSearchParams();
  for (const [name, value] of new FormData(form)) body.append(name, String(value));
  body.set("step", step);
  try {
    const answer = await fetch("/sets/preview", { method: "POST", body, signal: AbortSignal.timeout(20_000) });
    if (answer.redirected || answer.status === 403) throw new Error("Sign in again in another tab, then continue here.");
    if (!answer.ok) throw new Error("No figures just now.");
    /** @type {Answer} */
    const found = await answer.json();
    if (mine < answered) return;
    answered = mine;
    if (found.fields) {
      const focused = document.activeElement?.id || document.activeElement?.getAttribute("name");
      fields.innerHTML = found.fields;
      const again = focused && fields.querySelector(`[id="${focused}"], [name="${focused}"]`);
      if (again instanceof HTMLElement) again.focus();
    }
    mark(found.errors);
    const wrong = Object.keys(found.errors).length;
    status.textContent = wrong ? "See the marked fields." : "Not saved yet";
    figures.classList.toggle("stale", wrong > 0);
    if (found.figures) {
      figures.innerHTML = found.figures;
      plots(figures);
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
  const isOther = event.target instanceof Element && event.target.matches("[type=checkbox], [name$=_revision], [name$=_name]");
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
figures.addEventListener("click", (event) => {
  const string = around(event, "[data-string]")?.dataset.string;
  const field = input("string");
  if (!string || !field) return;
  field.value = string;
  ask();
});

/**
 * The millimetres that a place of the drawing stands for.
 * @param {SVGSVGElement} svg
 * @param {PointerEvent} event
 */
function millimetres(svg, event) {
  const matrix = svg.getScreenCTM();
  return matrix ? new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse()).x : 0;
}

figures.addEventListener("pointerdown", (event) => {
  const pickup = event.target instanceof Element ? event.target.closest("[data-pickup]") : null;
  const svg = pickup?.closest("svg");
  const field = input(`p${pickup?.getAttribute("data-pickup")}_place`);
  if (!(pickup instanceof SVGGElement) || !svg || !field) return;
  event.preventDefault();
  const begun = millimetres(svg, event);
  const [, from = "0"] = /translate\(([-\d.]+)/.exec(pickup.getAttribute("transform") ?? "") ?? [];
  /** @param {PointerEvent} moved */
  const move = (moved) => {
    const mm = Math.max(5, Number(from) + millimetres(svg, moved) - begun);
    pickup.setAttribute("transform", `translate(${mm.toFixed(1)} 0)`);
    // With its unit, which is understood whatever the workshop's is.
    field.value = `${mm.toFixed(1)} mm`;
  };
  const end = () => {
    removeEventListener("pointermove", move);
    ask();
  };
  addEventListener("pointermove", move);
  addEventListener("pointerup", end, { once: true });
  addEventListener("pointercancel", end, { once: true });
});

/** The search that runs, by its name. @type {string | null} */
let job = null;
const searchForm = byId("set-search", HTMLFormElement);
const searchStatus = byId("search-status", HTMLElement);
const searchBar = byId("search-progress", HTMLProgressElement);
const searchCancel = byId("search-cancel", HTMLButtonElement);

/** The set's form with what may change of it. */
function searched() {
  const body = new URLSearchParams();
  for (const from of [form, searchForm]) {
    for (const [name, value] of new FormData(from)) body.append(name, String(value));
  }
  return body;
}

async function search() {
  const body = searched();
  const { job: name, errors } = await (await fetch("/sets/search", { method: "POST", body })).json();
  for (const e of searchForm.querySelectorAll(".error")) e.textContent = errors[e.id.slice(2)] ?? "";
  if (Object.keys(errors).length) {
    searchStatus.textContent = "Not started: see the marked fields.";
    mark(errors);
    return;
  }
  job = name;
  const began = Date.now();
  let found = { done: false, share: 0, results: /** @type {string | null} */ (null) };
  const asked = `/sets/search/${name}?set=${body.get("set") ?? ""}&version=${body.get("version") ?? ""}`;
  while (!found.done) {
    await new Promise((done) => setTimeout(done, 200));
    found = await (await fetch(asked)).json();
    searchBar.value = found.share;
    searchStatus.textContent = timeLeft(found.share, (Date.now() - began) / 1000) || "searching";
  }
  searchStatus.textContent = found.results === null ? "Stopped." : "";
  if (found.results !== null) byId("search-results", HTMLElement).innerHTML = found.results;
}

searchForm.addEventListener("submit", async (event) => {
  event.preventDefault();
  if (job) return;
  for (const e of [searchBar, searchCancel]) e.hidden = false;
  try {
    await search();
  } catch {
    searchStatus.textContent = "No connection; nothing is lost.";
  }
  for (const e of [searchBar, searchCancel]) e.hidden = true;
  job = null;
});
searchCancel.addEventListener("click", () => {
  if (job) void fetch(`/jobs/${job}/cancel`, { method: "POST", body: new URLSearchParams(searched()) });
});
