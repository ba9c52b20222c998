// A set while it is edited: figures anew while fields change, and pickups dragged along the strings.
import { component } from "./component.js";
import { around } from "./elements.js";
import { liveForm } from "./live_form.js";

/** How long the next key is waited for: a set's figures take longer than a pickup's, ms. */
const PAUSE_MS = 120;

const SHEET = {
  url: "/sets/preview",
  shapers: "[type=checkbox], [name$=_revision], [name$=_name]",
  apart: ["csrf", "key", "version", "set", "string"],
  pauseMs: PAUSE_MS,
};

/**
 * The millimetres that a place of the drawing stands for.
 * @param {SVGSVGElement} svg
 * @param {PointerEvent} event
 */
function millimetres(svg, event) {
  const matrix = svg.getScreenCTM();
  return matrix ? new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse()).x : 0;
}

export const pickupSet = component(() => ({
  ...liveForm(SHEET),

  /** @param {Event} event */
  clicked(event) {
    const chosen = around(event, "[data-step], [data-string]")?.dataset;
    if (chosen?.step) void this.ask(chosen.step);
    if (!chosen?.string) return;
    this.control("string").value = chosen.string;
    void this.ask();
  },
  /** @param {PointerEvent} event */
  drag(event) {
    const pickup = event.target instanceof Element ? event.target.closest("[data-pickup]") : null;
    const svg = pickup?.closest("svg");
    const field = this.form().elements.namedItem(`p${pickup?.getAttribute("data-pickup")}_place`);
    if (!(pickup instanceof SVGGElement) || !svg || !(field instanceof HTMLInputElement)) return;
    event.preventDefault();
    const begun = millimetres(svg, event);
    const [, from = "0"] = /translate\(([-\d.]+)/.exec(pickup.getAttribute("transform") ?? "") ?? [];
    const move = (/** @type {PointerEvent} */ moved) => {
      const mm = Math.max(5, Number(from) + millimetres(svg, moved) - begun);
      pickup.setAttribute("transform", `translate(${mm.toFixed(1)} 0)`);
      // With its unit, which is understood whatever the workshop's is.
      field.value = `${mm.toFixed(1)} mm`;
    };
    const ended = new AbortController();
    const end = () => {
      ended.abort();
      if (this.history.step(this.read())) this.changedTo();
    };
    const { signal } = ended;
    addEventListener("pointermove", move, { signal });
    for (const name of ["pointerup", "pointercancel"]) addEventListener(name, end, { signal });
  },
}));
