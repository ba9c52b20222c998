// Drawings: saved as files of their own, and enlarged: wheel or keys zoom, dragging moves, 0 shows all.
import { around, download } from "./elements.js";
import { plots } from "./plot.js";
import { fileName } from "./text.js";
import * as viewBox from "./view_box.js";

const SVG = "http://www.w3.org/2000/svg";

/**
 * A copy of the drawing in a button's figure.
 * @param {HTMLElement} button
 * @returns {SVGSVGElement | null}
 */
function copyOf(button) {
  const original = button.closest("figure")?.querySelector("svg");
  return original ? /** @type {SVGSVGElement} */ (original.cloneNode(true)) : null;
}

/** @param {HTMLElement} button */
function save(button) {
  const drawing = copyOf(button);
  if (!drawing) return;
  const styles = [...document.styleSheets].flatMap((sheet) => [...sheet.cssRules]);
  const wanted = styles.map((rule) => rule.cssText).filter((text) => /^(:root|\.drawing|\.line\d)/.test(text));
  const style = document.createElementNS(SVG, "style");
  style.textContent = wanted.join("\n");
  drawing.prepend(style);
  drawing.setAttribute("xmlns", SVG);
  // What is drawn to scale, a millimetre per unit, comes out of a printer or a drawing program in its true size.
  if (drawing.matches(".top, .section")) {
    const size = viewBox.inMillimetres(viewBox.parse(drawing.getAttribute("viewBox") ?? ""));
    for (const [name, length] of Object.entries(size)) drawing.setAttribute(name, length);
  }
  const title = `${pickupName()} ${button.dataset.save ?? ""}`;
  download(new Blob([drawing.outerHTML], { type: "image/svg+xml" }), fileName(title, "svg"));
}

/** @returns {string} What is drawn: the name on the sheet, or the page's heading. */
function pickupName() {
  const field = document.querySelector("input[name=name]");
  const typed = field instanceof HTMLInputElement ? field.value : "";
  return typed || (document.querySelector("h1")?.textContent ?? "");
}

/**
 * A plot over the whole window: it is drawn anew in that size, and keeps its own ways of zooming and reading.
 * @param {HTMLElement} button
 * @param {HTMLElement} box
 */
function enlargePlot(button, box) {
  const dialog = document.createElement("dialog");
  dialog.className = "enlarged";
  dialog.setAttribute("aria-label", `${button.dataset.enlarge}, enlarged`);
  const close = document.createElement("button");
  Object.assign(close, { type: "button", className: "btn btn-sm btn-outline-secondary", textContent: "Close" });
  close.addEventListener("click", () => dialog.close());
  const own = /** @type {HTMLElement} */ (box.cloneNode(false));
  own.dataset.tall = "";
  dialog.append(close, own);
  dialog.addEventListener("close", () => {
    dialog.remove();
    button.focus();
  });
  document.body.append(dialog);
  dialog.showModal();
  plots(dialog);
}

/** @param {HTMLElement} button */
function enlarge(button) {
  const box = button.closest("figure")?.querySelector(".plot-box");
  if (box instanceof HTMLElement) {
    enlargePlot(button, box);
    return;
  }
  const drawing = copyOf(button);
  if (!drawing) return;
  const whole = viewBox.parse(drawing.getAttribute("viewBox") ?? "");
  let view = whole;
  /** @param {viewBox.ViewBox} next */
  const show = (next) => {
    view = next;
    drawing.setAttribute("viewBox", viewBox.text(view));
  };
  /** @param {number} by @param {number} [x] @param {number} [y] */
  const zoom = (by, x, y) => show(viewBox.zoomed(view, whole, by, x, y));
  const dialog = document.createElement("dialog");
  dialog.className = "enlarged";
  dialog.setAttribute("aria-label", `${button.dataset.enlarge}, enlarged`);
  const body = document.createElement("div");
  const tools = document.createElement("div");
  tools.className = "tools";
  /** @param {string} text @param {string} label @param {() => void} act */
  const add = (text, label, act) => {
    const one = document.createElement("button");
    Object.assign(one, { type: "button", className: "btn btn-sm btn-outline-secondary", textContent: text });
    one.setAttribute("aria-label", label);
    one.addEventListener("click", act);
    tools.append(one);
  };
  add("+", "Nearer", () => zoom(0.75));
  add("−", "Farther", () => zoom(1.33));
  add("All", "Show all", () => show(whole));
  add("Close", "Close", () => dialog.close());
  const help = document.createElement("span");
  help.className = "muted";
  help.textContent = "Wheel or + and − to zoom, drag or arrows to move, 0 for all.";
  tools.append(help);
  drawing.setAttribute("tabindex", "0");
  /** @param {MouseEvent} e @returns {[number, number]} */
  const place = (e) => {
    const box = drawing.getBoundingClientRect();
    return [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
  };
  const onWheel = (/** @type {WheelEvent} */ e) => {
    e.preventDefault();
    zoom(e.deltaY > 0 ? 1.15 : 0.87, ...place(e));
  };
  drawing.addEventListener("wheel", onWheel, { passive: false });
  /** @type {[number, number] | null} */
  let held = null;
  drawing.addEventListener("pointerdown", (e) => {
    held = place(e);
    drawing.setPointerCapture(e.pointerId);
  });
  drawing.addEventListener("pointermove", (e) => {
    if (!held) return;
    const now = place(e);
    show(viewBox.moved(view, held[0] - now[0], held[1] - now[1]));
    held = now;
  });
  drawing.addEventListener("pointerup", () => { held = null; });
  dialog.addEventListener("keydown", (e) => {
    if (e.key === "ArrowLeft") show(viewBox.moved(view, -0.1, 0));
    else if (e.key === "ArrowRight") show(viewBox.moved(view, 0.1, 0));
    else if (e.key === "ArrowUp") show(viewBox.moved(view, 0, -0.1));
    else if (e.key === "ArrowDown") show(viewBox.moved(view, 0, 0.1));
    else if (e.key === "+" || e.key === "=") zoom(0.75);
    else if (e.key === "-") zoom(1.33);
    else if (e.key === "0") show(whole);
    else return;
    e.preventDefault();
  });
  dialog.addEventListener("close", () => {
    dialog.remove();
    button.focus();
  });
  body.append(tools, drawing);
  dialog.append(body);
  document.body.append(dialog);
  dialog.showModal();
}

document.addEventListener("click", (event) => {
  const saved = around(event, "[data-save]");
  if (saved) save(saved);
  const enlarged = around(event, "[data-enlarge]");
  if (enlarged) enlarge(enlarged);
});
