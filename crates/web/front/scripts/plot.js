// Response curves: any number, over a logarithmic frequency, with a read-out under the pointer or the arrow keys.
import { component } from "./component.js";
import { toggle } from "./elements.js";
import { level, levels, normalised, zoomedRange } from "./response.js";
import { decibels, hertz } from "./text.js";

/** @typedef {import("./response.js").Curve} Curve */

const NS = "http://www.w3.org/2000/svg";
const [LEFT, RIGHT, TOP, BOTTOM] = [40, 14, 14, 26];
const DECADES = [20, 50, 100, 200, 500, 1e3, 2e3, 5e3, 1e4, 2e4];
/** @typedef {"loaded" | "alone" | "normal"} Choice */
/** @type {[Choice, string][]} */
const CHOICES = [["loaded", "Loaded"], ["alone", "Unloaded"], ["normal", "Normalised"]];
// What is shown stays as it was chosen when new curves come in.
const kept = { loaded: true, alone: true, normal: false, from: 100, to: 2e4, at: /** @type {number | null} */ (null) };

/**
 * An element of the plot.
 * @template {keyof SVGElementTagNameMap} K
 * @param {K} name
 * @param {Record<string, string | number>} attributes
 * @param {string | number} [text]
 * @returns {SVGElementTagNameMap[K]}
 */
function make(name, attributes, text) {
  const e = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, String(value));
  if (text !== undefined) e.textContent = String(text);
  return e;
}

class Plot {
  /** @param {HTMLElement} root */
  constructor(root) {
    /** @type {Curve[]} */
    this.curves = JSON.parse(root.dataset.plot ?? "[]");
    const tools = document.createElement("div");
    tools.className = "plot-tools";
    /** @type {[Choice, HTMLButtonElement][]} */
    this.buttons = CHOICES.map(([key, label]) => [key, toggle(label, () => this.choose(key))]);
    // Curves of one kind alone have nothing to choose between.
    if (this.curves.some((curve) => curve.kind !== this.curves[0].kind)) {
      tools.append(...this.buttons.map(([, button]) => button));
    }
    this.reading = document.createElement("p");
    this.reading.className = "plot-reading";
    this.reading.setAttribute("aria-live", "polite");
    const label = root.getAttribute("aria-label") ?? "Response";
    this.svg = make("svg", { class: "drawing plot", tabindex: 0, role: "img", "aria-label": label });
    this.svg.addEventListener("pointermove", (event) => this.readAt(this.frequencyAt(event)));
    this.svg.addEventListener("pointerleave", () => this.readAt(null));
    this.svg.addEventListener("wheel", (event) => this.zoom(event), { passive: false });
    this.svg.addEventListener("dblclick", () => {
      [kept.from, kept.to] = [100, 2e4];
      this.draw();
    });
    this.svg.addEventListener("keydown", (event) => this.key(event));
    root.replaceChildren(tools, this.svg, this.reading);
    // As many units as pixels, so that letters have one size everywhere.
    this.width = Math.max(320, root.clientWidth || 640);
    // Enlarged, a plot takes what height the window has.
    const tallest = root.dataset.tall === undefined ? 340 : Math.max(340, innerHeight * 0.72);
    this.height = Math.min(tallest, Math.max(190, this.width * (this.width > 560 ? 0.3 : 0.56)));
    this.svg.setAttribute("viewBox", `0 0 ${this.width} ${this.height}`);
    this.low = -40;
    this.high = 0;
    this.cursor = make("path", { class: "cursor" });
    this.draw();
  }

  /** @param {number} hz */
  x(hz) { return LEFT + (this.width - LEFT - RIGHT) * Math.log(hz / kept.from) / Math.log(kept.to / kept.from); }
  /** @param {number} db */
  y(db) { return TOP + (this.height - TOP - BOTTOM) * (this.high - db) / (this.high - this.low); }
  /** @param {MouseEvent} event */
  frequencyAt(event) {
    const box = this.svg.getBoundingClientRect();
    const x = (event.clientX - box.left) / box.width * this.width;
    return kept.from * (kept.to / kept.from) ** ((x - LEFT) / (this.width - LEFT - RIGHT));
  }

  shown() {
    const isShown = (/** @type {Curve} */ c) => c.kind === "measured" || kept[c.kind];
    return this.curves.filter(isShown).map((c) => (kept.normal ? normalised(c) : c));
  }

  /** @param {Choice} key */
  choose(key) {
    kept[key] = !kept[key];
    if (!kept.loaded && !kept.alone) kept[key === "loaded" ? "alone" : "loaded"] = true;
    this.draw();
  }

  draw() {
    for (const [key, button] of this.buttons) button.setAttribute("aria-pressed", String(kept[key]));
    const curves = this.shown();
    ({ low: this.low, high: this.high } = levels(curves, kept.from, kept.to));
    this.svg.replaceChildren();
    this.axes();
    const clip = `plot-clip-${Math.random().toString(36).slice(2)}`;
    const frame = make("clipPath", { id: clip });
    const [width, height] = [this.width - LEFT - RIGHT, this.height - TOP - BOTTOM];
    frame.append(make("rect", { x: LEFT, y: TOP, width, height }));
    const lines = make("g", { "clip-path": `url(#${clip})` });
    for (const curve of curves) {
      const point = (/** @type {number} */ f, /** @type {number} */ i) =>
        `${i ? "L" : "M"}${this.x(f).toFixed(1)} ${this.y(curve.db[i]).toFixed(1)}`;
      lines.append(make("path", { class: `line ${curve.kind} line${curve.tone}`, d: curve.hz.map(point).join("") }));
    }
    this.svg.append(frame, lines, this.cursor);
    this.read();
  }

  axes() {
    for (const hz of DECADES.filter((f) => f >= kept.from * 0.999 && f <= kept.to * 1.001)) {
      const x = this.x(hz).toFixed(1);
      const text = hz >= 1000 ? `${hz / 1000}k` : hz;
      this.svg.append(make("path", { class: "grid", d: `M${x} ${TOP}V${this.height - BOTTOM}` }));
      this.svg.append(make("text", { class: "tick", x, y: this.height - BOTTOM + 16, "text-anchor": "middle" }, text));
    }
    for (let db = this.low; db <= this.high; db += 10) {
      const y = this.y(db).toFixed(1);
      const place = { x: LEFT - 6, y, "text-anchor": "end", "dominant-baseline": "middle" };
      this.svg.append(make("path", { class: "grid", d: `M${LEFT} ${y}H${this.width - RIGHT}` }));
      this.svg.append(make("text", { class: "tick", ...place }, String(db).replace("-", "−")));
    }
    this.svg.append(make("text", { class: "tick", x: 4, y: TOP - 2 }, "dB"));
  }

  /** @param {number | null} hz */
  readAt(hz) {
    kept.at = hz === null ? null : Math.min(kept.to, Math.max(kept.from, hz));
    this.read();
  }
  /** @param {KeyboardEvent} event */
  key(event) {
    const by = new Map([["ArrowRight", 1.02], ["ArrowLeft", 1 / 1.02], ["PageUp", 1.25], ["PageDown", 0.8]]).get(event.key);
    if (!by) return;
    event.preventDefault();
    this.readAt((kept.at ?? 1000) * by);
  }
  /** @param {WheelEvent} event */
  zoom(event) {
    event.preventDefault();
    Object.assign(kept, zoomedRange(kept, this.frequencyAt(event), event.deltaY > 0 ? 1.25 : 0.8));
    this.draw();
  }
  read() {
    const { at } = kept;
    this.reading.replaceChildren();
    const curves = this.shown();
    if (at === null) this.cursor.removeAttribute("d");
    else {
      this.cursor.setAttribute("d", `M${this.x(at).toFixed(1)} ${TOP}V${this.height - BOTTOM}`);
      this.reading.append(Object.assign(document.createElement("b"), { textContent: hertz(at) }));
    }
    const named = new Set();
    for (const curve of curves) {
      // Without a place to read at, the name of a pickup once.
      const isShort = at === null && curves.length > 4 && curves.some((other) => other.kind !== curve.kind);
      const name = isShort ? curve.name.split(", ").slice(0, -1).join(", ") || "this" : curve.name;
      if (named.has(name)) continue;
      named.add(name);
      const entry = document.createElement("span");
      entry.className = `entry ${curve.kind} line${curve.tone}`;
      const db = at === null ? null : level(curve, at);
      entry.textContent = name + (db === null ? "" : ` ${decibels(db)}`);
      this.reading.append(entry);
    }
  }
}

/** Draws the curves that its element holds as data. */
export const plot = component(() => ({
  init() {
    new Plot(this.$root);
  },
}));
