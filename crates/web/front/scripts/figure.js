// Figures: their drawings saved as files of their own, and enlarged: wheel or keys zoom, dragging moves, 0 shows all.
import Modal from "bootstrap/js/dist/modal";
import { component } from "./component.js";
import { download } from "./elements.js";
import { fileName } from "./text.js";
import * as viewBox from "./view_box.js";

const SVG = "http://www.w3.org/2000/svg";

/** @returns {string} What is drawn: the name on the sheet, or the page's heading. */
function pickupName() {
  const field = document.querySelector("input[name=name]");
  const typed = field instanceof HTMLInputElement ? field.value : "";
  return typed || (document.querySelector("h1")?.textContent ?? "");
}

/** A figure with its tools. */
export const figure = component(() => ({
  /** @returns {SVGSVGElement | null} A copy of its drawing. */
  copy() {
    const original = this.$root.querySelector("svg.drawing");
    return original ? /** @type {SVGSVGElement} */ (original.cloneNode(true)) : null;
  },
  /** @param {string} title */
  save(title) {
    const drawing = this.copy();
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
    download(new Blob([drawing.outerHTML], { type: "image/svg+xml" }), fileName(`${pickupName()} ${title}`, "svg"));
  },
  /** @param {string} title */
  enlarge(title) {
    const plot = this.$root.querySelector(".plot-box");
    const content = plot instanceof HTMLElement ? plot.cloneNode(false) : this.copy();
    if (content) this.$dispatch("enlarge", { title, content });
  },
}));

/** The window over the page in which a figure is enlarged: a plot draws itself anew in that size, a drawing is zoomed and moved. */
export const enlarged = component(() => ({
  title: "",
  isPlot: false,
  drawing: /** @type {Element | null} */ (null),
  whole: /** @type {viewBox.ViewBox} */ ([0, 0, 1, 1]),
  view: /** @type {viewBox.ViewBox} */ ([0, 0, 1, 1]),
  /** The place of the drawing that the pointer holds. */
  held: /** @type {[number, number] | null} */ (null),

  /** @param {CustomEvent<{ title: string, content: HTMLElement | SVGSVGElement }>} event */
  open({ detail: { title, content } }) {
    this.title = title;
    this.isPlot = content instanceof HTMLElement;
    this.drawing = content;
    if (content instanceof HTMLElement) content.dataset.tall = "";
    else {
      this.whole = this.view = viewBox.parse(content.getAttribute("viewBox") ?? "");
      content.setAttribute("tabindex", "0");
    }
    // A plot is as wide as its place, which it has when the window is open.
    this.$root.addEventListener("shown.bs.modal", () => this.$refs.content.replaceChildren(content), { once: true });
    Modal.getOrCreateInstance(this.$root).show();
  },
  /** @param {viewBox.ViewBox} next */
  show(next) {
    this.view = next;
    this.drawing?.setAttribute("viewBox", viewBox.text(next));
  },
  /** @param {number} by @param {number} [x] @param {number} [y] */
  zoom(by, x, y) {
    this.show(viewBox.zoomed(this.view, this.whole, by, x, y));
  },
  all() {
    this.show(this.whole);
  },
  /** @param {MouseEvent} event @returns {[number, number]} */
  place(event) {
    const box = (this.drawing ?? this.$root).getBoundingClientRect();
    return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  },
  /** @param {WheelEvent} event */
  wheel(event) {
    if (this.isPlot) return;
    event.preventDefault();
    this.zoom(event.deltaY > 0 ? 1.15 : 0.87, ...this.place(event));
  },
  /** @param {PointerEvent} event */
  hold(event) {
    if (!this.isPlot) this.held = this.place(event);
  },
  /** @param {PointerEvent} event */
  move(event) {
    if (!this.held) return;
    const now = this.place(event);
    this.show(viewBox.moved(this.view, this.held[0] - now[0], this.held[1] - now[1]));
    this.held = now;
  },
  release() {
    this.held = null;
  },
  /** @param {KeyboardEvent} event */
  key(event) {
    if (this.isPlot) return;
    /** @type {Record<string, () => void>} */
    const acts = {
      ArrowLeft: () => this.show(viewBox.moved(this.view, -0.1, 0)),
      ArrowRight: () => this.show(viewBox.moved(this.view, 0.1, 0)),
      ArrowUp: () => this.show(viewBox.moved(this.view, 0, -0.1)),
      ArrowDown: () => this.show(viewBox.moved(this.view, 0, 0.1)),
      "+": () => this.zoom(0.75),
      "=": () => this.zoom(0.75),
      "-": () => this.zoom(1.33),
      0: () => this.all(),
    };
    const act = acts[event.key];
    if (!act) return;
    event.preventDefault();
    act();
  },
}));
