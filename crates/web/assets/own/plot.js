// Response curves: any number, over a logarithmic frequency, with a read-out under the pointer or the arrow keys.
"use strict";
(() => {
  const NS = "http://www.w3.org/2000/svg";
  const [LEFT, RIGHT, TOP, BOTTOM] = [40, 14, 14, 26];
  const DECADES = [20, 50, 100, 200, 500, 1e3, 2e3, 5e3, 1e4, 2e4];
  // What is shown stays as it was chosen when new curves come in.
  const kept = { loaded: true, alone: true, normal: false, from: 100, to: 2e4, at: null };

  const make = (name, attributes, text) => {
    const e = document.createElementNS(NS, name);
    for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
    if (text !== undefined) e.textContent = text;
    return e;
  };
  const hertz = (hz) => (hz >= 1000 ? (hz / 1000).toPrecision(3) + " kHz" : hz.toPrecision(3) + " Hz");
  const decibels = (db) => (db >= 0 ? "+" : "−") + Math.abs(db).toFixed(1) + " dB";

  function level(curve, hz) {
    const i = curve.hz.findIndex((f) => f >= hz);
    if (i < 0) return null;
    if (i === 0) return hz < curve.hz[0] * 0.999 ? null : curve.db[0];
    const share = Math.log(hz / curve.hz[i - 1]) / Math.log(curve.hz[i] / curve.hz[i - 1]);
    return curve.db[i - 1] + share * (curve.db[i] - curve.db[i - 1]);
  }

  class Plot {
    constructor(root) {
      this.root = root;
      this.curves = JSON.parse(root.dataset.plot);
      this.buttons = {};
      const tools = document.createElement("div");
      tools.className = "plot-tools";
      for (const [key, label] of [["loaded", "Loaded"], ["alone", "Unloaded"], ["normal", "Normalised"]]) {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "btn btn-sm btn-view";
        button.textContent = label;
        button.addEventListener("click", () => {
          kept[key] = !kept[key];
          if (!kept.loaded && !kept.alone) kept[key === "loaded" ? "alone" : "loaded"] = true;
          this.draw();
        });
        this.buttons[key] = button;
        tools.append(button);
      }
      this.reading = document.createElement("p");
      this.reading.className = "plot-reading";
      this.reading.setAttribute("aria-live", "polite");
      this.svg = make("svg", { class: "drawing plot", tabindex: 0, role: "img" });
      this.svg.setAttribute("aria-label", root.getAttribute("aria-label") ?? "Response");
      this.svg.addEventListener("pointermove", (event) => this.point(event));
      this.svg.addEventListener("pointerleave", () => { kept.at = null; this.read(); });
      this.svg.addEventListener("wheel", (event) => this.zoom(event), { passive: false });
      this.svg.addEventListener("dblclick", () => { [kept.from, kept.to] = [100, 2e4]; this.draw(); });
      this.svg.addEventListener("keydown", (event) => this.key(event));
      root.replaceChildren(tools, this.svg, this.reading);
      // As many units as pixels, so that letters have one size everywhere.
      this.width = Math.max(320, root.clientWidth || 640);
      this.height = Math.min(340, Math.max(190, this.width * 0.56));
      this.svg.setAttribute("viewBox", `0 0 ${this.width} ${this.height}`);
      this.draw();
    }

    x(hz) { return LEFT + (this.width - LEFT - RIGHT) * Math.log(hz / kept.from) / Math.log(kept.to / kept.from); }
    y(db) { return TOP + (this.height - TOP - BOTTOM) * (this.high - db) / (this.high - this.low); }
    frequency(x) { return kept.from * (kept.to / kept.from) ** ((x - LEFT) / (this.width - LEFT - RIGHT)); }

    shown() {
      return this.curves.filter((c) => c.kind === "measured" || (c.kind === "loaded" ? kept.loaded : kept.alone)).map((c) => {
        const peak = Math.max(...c.db);
        return kept.normal ? { ...c, db: c.db.map((v) => v - peak) } : c;
      });
    }

    draw() {
      for (const [key, button] of Object.entries(this.buttons)) button.setAttribute("aria-pressed", String(kept[key]));
      const curves = this.shown();
      const inside = curves.flatMap((c) => c.db.filter((_, i) => c.hz[i] >= kept.from && c.hz[i] <= kept.to));
      this.high = Math.ceil((Math.max(0, ...inside) + 1) / 10) * 10;
      this.low = Math.max(this.high - 40, Math.floor((Math.min(-10, ...inside) - 1) / 10) * 10);
      this.svg.replaceChildren();
      for (const hz of DECADES.filter((f) => f >= kept.from * 0.999 && f <= kept.to * 1.001)) {
        const x = this.x(hz).toFixed(1);
        this.svg.append(make("path", { class: "grid", d: `M${x} ${TOP}V${this.height - BOTTOM}` }));
        this.svg.append(make("text", { class: "tick", x, y: this.height - BOTTOM + 16, "text-anchor": "middle" }, hz >= 1000 ? hz / 1000 + "k" : hz));
      }
      for (let db = this.low; db <= this.high; db += 10) {
        const y = this.y(db).toFixed(1);
        this.svg.append(make("path", { class: "grid", d: `M${LEFT} ${y}H${this.width - RIGHT}` }));
        this.svg.append(make("text", { class: "tick", x: LEFT - 6, y, "text-anchor": "end", "dominant-baseline": "middle" }, String(db).replace("-", "−")));
      }
      this.svg.append(make("text", { class: "tick", x: 4, y: TOP - 2 }, "dB"));
      const clip = `plot-clip-${Math.random().toString(36).slice(2)}`;
      const frame = make("clipPath", { id: clip });
      frame.append(make("rect", { x: LEFT, y: TOP, width: this.width - LEFT - RIGHT, height: this.height - TOP - BOTTOM }));
      this.svg.append(frame);
      const lines = make("g", { "clip-path": `url(#${clip})` });
      for (const curve of curves) {
        const d = curve.hz.map((f, i) => `${i ? "L" : "M"}${this.x(f).toFixed(1)} ${this.y(curve.db[i]).toFixed(1)}`).join("");
        lines.append(make("path", { class: `line ${curve.kind} line${curve.tone}`, d }));
      }
      this.svg.append(lines);
      this.cursor = make("path", { class: "cursor" });
      this.svg.append(this.cursor);
      this.read();
    }

    point(event) {
      const box = this.svg.getBoundingClientRect();
      kept.at = Math.min(kept.to, Math.max(kept.from, this.frequency((event.clientX - box.left) / box.width * this.width)));
      this.read();
    }
    key(event) {
      const step = { ArrowRight: 1.02, ArrowLeft: 1 / 1.02, PageUp: 1.25, PageDown: 0.8 }[event.key];
      if (!step) return;
      event.preventDefault();
      kept.at = Math.min(kept.to, Math.max(kept.from, (kept.at ?? 1000) * step));
      this.read();
    }
    zoom(event) {
      event.preventDefault();
      const box = this.svg.getBoundingClientRect();
      const at = this.frequency((event.clientX - box.left) / box.width * this.width);
      const by = event.deltaY > 0 ? 1.25 : 0.8;
      kept.from = Math.max(50, at * (kept.from / at) ** by);
      kept.to = Math.min(2e4, at * (kept.to / at) ** by);
      this.draw();
    }
    read() {
      this.reading.replaceChildren();
      const curves = this.shown();
      if (kept.at === null) this.cursor.removeAttribute("d");
      else this.cursor.setAttribute("d", `M${this.x(kept.at).toFixed(1)} ${TOP}V${this.height - BOTTOM}`);
      if (kept.at !== null) this.reading.append(Object.assign(document.createElement("b"), { textContent: hertz(kept.at) }));
      const named = new Set();
      for (const curve of curves) {
        // Without a place to read at, the name of a pickup once.
        const name = kept.at === null && curves.length > 4 ? curve.name.split(", ").slice(0, -1).join(", ") || "this" : curve.name;
        if (named.has(name)) continue;
        named.add(name);
        const entry = document.createElement("span");
        entry.className = `entry ${curve.kind} line${curve.tone}`;
        const db = kept.at === null ? null : level(curve, kept.at);
        entry.textContent = name + (db === null ? "" : " " + decibels(db));
        this.reading.append(entry);
      }
    }
  }

  window.filamentum = {
    plots(root) {
      for (const e of root.querySelectorAll("[data-plot]")) new Plot(e);
    },
  };
  window.filamentum.plots(document);
})();
