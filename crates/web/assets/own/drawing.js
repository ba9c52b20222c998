// Drawings: saved as files of their own, and enlarged: wheel or keys zoom, dragging moves, 0 shows all.
"use strict";
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-save]");
  if (!button) return;
  const drawing = button.closest("figure").querySelector("svg").cloneNode(true);
  const styles = [...document.styleSheets].flatMap((sheet) => [...sheet.cssRules]);
  const wanted = styles.map((rule) => rule.cssText).filter((text) => /^(:root|\.drawing|\.line\d)/.test(text));
  const style = document.createElementNS("http://www.w3.org/2000/svg", "style");
  style.textContent = wanted.join("\n");
  drawing.prepend(style);
  drawing.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([drawing.outerHTML], { type: "image/svg+xml" }));
  link.download = button.dataset.save.toLowerCase().replace(/[^a-z0-9]+/g, "-") + ".svg";
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
});
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-enlarge]");
  if (!button) return;
  const original = button.closest("figure").querySelector("svg");
  const drawing = original.cloneNode(true);
  const whole = drawing.getAttribute("viewBox").split(" ").map(Number);
  let view = [...whole];
  const show = () => drawing.setAttribute("viewBox", view.map((v) => v.toFixed(3)).join(" "));
  const zoom = (by, x = 0.5, y = 0.5) => {
    const size = [2, 3].map((i) => Math.min(whole[i] * 1.5, Math.max(whole[i] / 60, view[i] * by)));
    view = [view[0] + (view[2] - size[0]) * x, view[1] + (view[3] - size[1]) * y, ...size];
    show();
  };
  const dialog = document.createElement("dialog");
  dialog.className = "enlarged";
  dialog.setAttribute("aria-label", `${button.dataset.enlarge}, enlarged`);
  const body = document.createElement("div");
  const tools = document.createElement("div");
  tools.className = "tools";
  const add = (text, label, act) => {
    const one = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-sm btn-outline-secondary", textContent: text });
    one.setAttribute("aria-label", label);
    one.addEventListener("click", act);
    tools.append(one);
  };
  add("+", "Nearer", () => zoom(0.75));
  add("−", "Farther", () => zoom(1.33));
  add("All", "Show all", () => { view = [...whole]; show(); });
  add("Close", "Close", () => dialog.close());
  tools.append(Object.assign(document.createElement("span"), { className: "muted", textContent: "Wheel or + and − to zoom, drag or arrows to move, 0 for all." }));
  drawing.setAttribute("tabindex", "0");
  const place = (e) => {
    const box = drawing.getBoundingClientRect();
    return [(e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height];
  };
  drawing.addEventListener("wheel", (e) => { e.preventDefault(); zoom(e.deltaY > 0 ? 1.15 : 0.87, ...place(e)); }, { passive: false });
  let held = null;
  drawing.addEventListener("pointerdown", (e) => { held = place(e); drawing.setPointerCapture(e.pointerId); });
  drawing.addEventListener("pointermove", (e) => {
    if (!held) return;
    const now = place(e);
    view[0] -= (now[0] - held[0]) * view[2];
    view[1] -= (now[1] - held[1]) * view[3];
    held = now;
    show();
  });
  drawing.addEventListener("pointerup", () => { held = null; });
  dialog.addEventListener("keydown", (e) => {
    const move = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (move) { view[0] += move[0] * view[2] * 0.1; view[1] += move[1] * view[3] * 0.1; show(); }
    else if (e.key === "+" || e.key === "=") zoom(0.75);
    else if (e.key === "-") zoom(1.33);
    else if (e.key === "0") { view = [...whole]; show(); }
    else return;
    e.preventDefault();
  });
  dialog.addEventListener("close", () => { dialog.remove(); button.focus(); });
  body.append(tools, drawing);
  dialog.append(body);
  document.body.append(dialog);
  dialog.showModal();
});
