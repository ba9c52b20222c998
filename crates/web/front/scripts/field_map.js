// The field in a plane: magnitude as shades, flux lines, what the plane cuts, and a read-out under the pointer or the arrows.
import { component } from "./component.js";
import { toggle } from "./elements.js";
import { decode, interpolate, shade, streamlines } from "./field_grid.js";

/** @typedef {import("./field_grid.js").Grid} Grid */
/**
 * The data of a map.
 * @typedef {Grid & {
 *   axes: string[], scale: number, unit: string, length: number, length_unit: string,
 *   parts: { from: number[], to: number[], magnet: boolean, round: boolean }[],
 *   strings: { z: number, y: number[], magnetised: number[] }[],
 * }} FieldMapData
 */
/** @typedef {"now" | "held" | "change"} Shown */

/** Weakest and strongest field on the scale, mT. */
const RANGE = [1, 400];
const LEGEND = [1, 3, 10, 30, 100, 300];

// A map that is held stands beside the next ones, to see what a change does.
const kept = { held: /** @type {FieldMapData | null} */ (null), shown: /** @type {Shown} */ ("now") };

class FieldMapView {
  /** @param {HTMLElement} root */
  constructor(root) {
    /** @type {FieldMapData} */
    const data = JSON.parse(root.dataset.map ?? "{}");
    this.now = { ...data, field: decode(data) };
    this.at = [(data.from[0] + data.to[0]) / 2, data.to[1] - (data.to[1] - data.from[1]) / 5];
    const tools = document.createElement("div");
    tools.className = "plot-tools";
    this.hold = toggle("Hold this map", () => this.keep());
    this.showHeld = toggle("Held map", () => this.show("held"));
    this.showChange = toggle("Change since", () => this.show("change"));
    tools.append(this.hold, this.showHeld, this.showChange);
    this.canvas = document.createElement("canvas");
    this.canvas.tabIndex = 0;
    this.canvas.setAttribute("role", "img");
    this.canvas.setAttribute("aria-label", `${root.getAttribute("aria-label")}. Arrow keys move the read-out.`);
    this.reading = document.createElement("p");
    this.reading.className = "plot-reading";
    this.reading.setAttribute("aria-live", "polite");
    this.legend = document.createElement("p");
    this.legend.className = "map-legend";
    root.replaceChildren(tools, this.canvas, this.legend, this.reading);
    this.canvas.addEventListener("pointermove", (event) => this.point(event));
    this.canvas.addEventListener("pointerdown", (event) => this.point(event));
    this.canvas.addEventListener("keydown", (event) => this.step(event));
    new ResizeObserver(() => this.draw()).observe(root);
    this.draw();
  }

  keep() {
    kept.held = this.now;
    this.show("now");
  }

  /** @param {Shown} shown */
  show(shown) {
    kept.shown = kept.shown === shown ? "now" : shown;
    this.draw();
  }

  /** Only a map of the same plane can be compared. */
  comparable() {
    const held = kept.held;
    return held && held.axes.join() === this.now.axes.join() ? held : null;
  }

  /** Millimetres to pixels of the canvas. */
  place() {
    const { from, to } = this.now;
    const per = this.canvas.width / (to[0] - from[0]);
    return {
      per,
      x: (/** @type {number} */ mm) => (mm - from[0]) * per,
      y: (/** @type {number} */ mm) => (to[1] - mm) * per,
    };
  }

  draw() {
    const { from, to } = this.now;
    const tallest = Math.max(320, window.innerHeight * 0.62);
    const room = Math.min(this.canvas.parentElement?.clientWidth ?? 600, 900);
    const width = Math.max(200, Math.min(room, (tallest * (to[0] - from[0])) / (to[1] - from[1])));
    const ratio = window.devicePixelRatio || 1;
    this.canvas.width = Math.round(width * ratio);
    this.canvas.height = Math.round((width * ratio * (to[1] - from[1])) / (to[0] - from[0]));
    this.canvas.style.width = `${width}px`;
    const held = this.comparable();
    const shown = held ? kept.shown : "now";
    this.showHeld.hidden = !held;
    this.showChange.hidden = !held;
    this.showHeld.setAttribute("aria-pressed", String(shown === "held"));
    this.showChange.setAttribute("aria-pressed", String(shown === "change"));
    const pen = this.canvas.getContext("2d");
    if (!pen) return;
    this.paint(pen, shown, held);
    const map = shown === "held" && held ? held : this.now;
    if (shown !== "change") this.lines(pen, map, ratio);
    this.parts(pen, map, ratio);
    this.strings(pen, map, ratio);
    this.mark(pen, ratio);
    this.legend.replaceChildren(...this.scale(shown));
    this.read();
  }

  /**
   * Magnitude as shades, or what it has gained and lost.
   * @param {CanvasRenderingContext2D} pen
   * @param {Shown} shown
   * @param {FieldMapData | null} held
   */
  paint(pen, shown, held) {
    const [width, height] = [Math.ceil(this.canvas.width / 2), Math.ceil(this.canvas.height / 2)];
    const { from, to } = this.now;
    const image = new ImageData(width, height);
    for (let j = 0; j < height; j++) {
      for (let i = 0; i < width; i++) {
        const mm = [from[0] + ((i + 0.5) / width) * (to[0] - from[0]), to[1] - ((j + 0.5) / height) * (to[1] - from[1])];
        const one = interpolate(shown === "held" && held ? held : this.now, mm[0], mm[1]);
        const other = shown === "change" && held ? interpolate(held, mm[0], mm[1]) : null;
        image.data.set(shade(one, shown === "change" ? other : undefined, RANGE), 4 * (j * width + i));
      }
    }
    const small = document.createElement("canvas");
    [small.width, small.height] = [width, height];
    small.getContext("2d")?.putImageData(image, 0, 0);
    pen.imageSmoothingEnabled = true;
    pen.drawImage(small, 0, 0, this.canvas.width, this.canvas.height);
  }

  /**
   * Flux lines with their direction.
   * @param {CanvasRenderingContext2D} pen
   * @param {FieldMapData} map
   * @param {number} ratio
   */
  lines(pen, map, ratio) {
    const to = this.place();
    pen.strokeStyle = "rgb(20 16 12 / .55)";
    pen.fillStyle = pen.strokeStyle;
    pen.lineWidth = 0.9 * ratio;
    for (const line of streamlines(map)) {
      pen.beginPath();
      line.forEach(([x, y], k) => (k ? pen.lineTo(to.x(x), to.y(y)) : pen.moveTo(to.x(x), to.y(y))));
      pen.stroke();
      const middle = Math.floor(line.length / 2);
      if (line.length < 8) continue;
      const [a, b] = [line[middle - 1], line[middle + 1]];
      const angle = Math.atan2(to.y(b[1]) - to.y(a[1]), to.x(b[0]) - to.x(a[0]));
      pen.save();
      pen.translate(to.x(line[middle][0]), to.y(line[middle][1]));
      pen.rotate(angle);
      pen.beginPath();
      pen.moveTo(4 * ratio, 0);
      pen.lineTo(-3 * ratio, 2.6 * ratio);
      pen.lineTo(-3 * ratio, -2.6 * ratio);
      pen.fill();
      pen.restore();
    }
  }

  /**
   * @param {CanvasRenderingContext2D} pen
   * @param {FieldMapData} map
   * @param {number} ratio
   */
  parts(pen, map, ratio) {
    const to = this.place();
    for (const part of map.parts) {
      const [x, y] = [to.x(part.from[0]), to.y(part.to[1])];
      const [w, h] = [to.x(part.to[0]) - x, to.y(part.from[1]) - y];
      pen.fillStyle = part.magnet ? "#57524a" : "#a7a49c";
      pen.strokeStyle = "#211c17";
      pen.lineWidth = ratio;
      pen.beginPath();
      if (part.round) pen.ellipse(x + w / 2, y + h / 2, w / 2, h / 2, 0, 0, 2 * Math.PI);
      else pen.rect(x, y, w, h);
      pen.fill();
      pen.stroke();
    }
  }

  /**
   * Strings, thicker and darker the more they are magnetised.
   * @param {CanvasRenderingContext2D} pen
   * @param {FieldMapData} map
   * @param {number} ratio
   */
  strings(pen, map, ratio) {
    const to = this.place();
    for (const string of map.strings) {
      for (let k = 1; k < string.y.length; k++) {
        const share = Math.min(1, Math.abs(string.magnetised[k] + string.magnetised[k - 1]) / 2);
        pen.strokeStyle = `rgb(125 31 34 / ${0.35 + 0.65 * share})`;
        pen.lineWidth = (1.2 + 4 * share) * ratio;
        pen.beginPath();
        pen.moveTo(to.x(string.y[k - 1]), to.y(string.z));
        pen.lineTo(to.x(string.y[k]), to.y(string.z));
        pen.stroke();
      }
    }
  }

  /**
   * Where the read-out is.
   * @param {CanvasRenderingContext2D} pen
   * @param {number} ratio
   */
  mark(pen, ratio) {
    const to = this.place();
    const [x, y] = [to.x(this.at[0]), to.y(this.at[1])];
    pen.lineWidth = 1.4 * ratio;
    for (const [tone, radius] of /** @type {[string, number][]} */ ([["#fff", 6], ["#211c17", 4.5]])) {
      pen.strokeStyle = tone;
      pen.beginPath();
      pen.arc(x, y, radius * ratio, 0, 2 * Math.PI);
      pen.stroke();
    }
  }

  /** @param {Shown} shown */
  scale(shown) {
    if (shown === "change") {
      return ["less", "unchanged", "more"].map((label, k) => this.swatch(label, shade([0, 0, 10], [0, 0, 10 / 2 ** (k - 1)], RANGE)));
    }
    const { scale, unit } = this.now;
    const entries = LEGEND.map((mt) => this.swatch(`${mt * scale}`, shade([mt, 0, 0], undefined, RANGE)));
    const words = document.createElement("span");
    words.textContent = unit;
    return [...entries, words];
  }

  /**
   * @param {string} label
   * @param {number[]} tone
   */
  swatch(label, tone) {
    const entry = document.createElement("span");
    const box = document.createElement("i");
    box.style.background = `rgb(${tone.slice(0, 3).join(" ")})`;
    entry.append(box, label);
    return entry;
  }

  /** @param {PointerEvent} event */
  point(event) {
    const box = this.canvas.getBoundingClientRect();
    const { from, to } = this.now;
    this.at = [
      from[0] + ((event.clientX - box.left) / box.width) * (to[0] - from[0]),
      to[1] - ((event.clientY - box.top) / box.height) * (to[1] - from[1]),
    ];
    this.draw();
  }

  /** @param {KeyboardEvent} event */
  step(event) {
    const by = event.shiftKey ? 2 : 0.5;
    /** @type {Record<string, number[]>} */
    const moves = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] };
    const move = moves[event.key];
    if (!move) return;
    event.preventDefault();
    const { from, to } = this.now;
    this.at = this.at.map((v, k) => Math.min(to[k], Math.max(from[k], v + move[k])));
    this.draw();
  }

  /** The field at the mark, in words. */
  read() {
    const { axes, scale, unit, length, length_unit: lengthUnit } = this.now;
    const number = (/** @type {number} */ v) => (Math.abs(v) < 9.95 ? v.toFixed(1) : v.toFixed(0)).replace("-", "−");
    const place = axes.map((axis, k) => `${axis} ${(this.at[k] * length).toFixed(length < 1 ? 3 : 1).replace("-", "−")}`).join(", ");
    const value = (/** @type {FieldMapData} */ map) => {
      const b = interpolate(map, this.at[0], this.at[1]);
      if (!b) return "within the part";
      const parts = b.map((v) => number(v * scale));
      return `${number(Math.hypot(...b) * scale)} ${unit} (${axes[1]} ${parts[1]}, ${axes[0]} ${parts[0]})`;
    };
    const held = this.comparable();
    const then = held ? `; held ${value(held)}` : "";
    const words = document.createElement("span");
    words.className = "entry";
    words.textContent = `${place} ${lengthUnit}: ${value(this.now)}${then}`;
    this.reading.replaceChildren(words);
  }
}

/** Draws the map that its element holds as data. */
export const fieldMap = component(() => ({
  init() {
    new FieldMapView(this.$root);
  },
}));
