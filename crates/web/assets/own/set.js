// A set while it is edited: new figures while fields change, steps of the whole form, and pickups dragged along the strings.
import { around, byId } from "./elements.js";
import { liveForm } from "./live_form.js";
import { plots } from "./plot.js";
import { timeLeft } from "./text.js";

const form = byId("set-form", HTMLFormElement);
const figures = byId("set-figures", HTMLElement);
const { ask, mark } = liveForm({
  form,
  fields: byId("set-fields", HTMLElement),
  figures,
  status: byId("set-status", HTMLElement),
  url: "/sets/preview",
  others: "[type=checkbox], [name$=_revision], [name$=_name]",
  drawn: plots,
});

/** @param {string} name @returns {HTMLInputElement | null} */
const input = (name) => {
  const found = form.elements.namedItem(name);
  return found instanceof HTMLInputElement ? found : null;
};

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
