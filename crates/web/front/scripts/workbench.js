// The workbench: the build sheet, what it comes to, and drawings that light up with the fields.
import { component } from "./component.js";
import { around } from "./elements.js";
import { liveForm } from "./live_form.js";

/** Buttons whose act is their data: they stand in markup that the server sends. */
const BUTTONS = "[data-step], [data-field-of], [data-view], [data-goal], [data-document], [data-overlay-off]";

const SHEET = {
  url: "/designs/preview",
  shapers: "[name=document], [name$=s_each]",
  apart: ["csrf", "key", "parent", "seen", "beside", "view", "goal", "overlay"],
};

export const workbench = component(() => ({
  ...liveForm(SHEET),

  /** @param {import("./elements.js").Control} control What the panels are filled with changes no design. */
  isOwn(control) {
    return !control.name.startsWith("search_");
  },
  /**
   * Buttons that change the whole design or choose drawings.
   * @param {Event} event
   */
  clicked(event) {
    const chosen = around(event, BUTTONS)?.dataset;
    if (!chosen) return;
    if (chosen.step) void this.ask(chosen.step);
    else if (chosen.fieldOf) this.goTo(chosen.fieldOf);
    else if (chosen.overlayOff) this.layOver(chosen.overlayOff, false);
    else if (chosen.document) {
      // What the sheet holds is one step of undo; its drawings come with it.
      this.control("view").value = "pickup";
      void this.ask("load", { document: chosen.document });
    } else {
      const name = chosen.goal ? "goal" : "view";
      this.control(name).value = chosen.goal ?? chosen.view ?? "";
      void this.ask();
    }
  },
  /**
   * Another pickup's response over this one's, or off it.
   * @param {string} name
   * @param {boolean} isOn
   */
  layOver(name, isOn) {
    if (!name) return;
    const field = this.control("overlay");
    const laid = field.value.split(",").filter((other) => other && other !== name);
    field.value = (isOn ? [...laid, name] : laid).join(",");
    void this.ask();
  },
  /**
   * A part under the pointer lights its field, a field its part.
   * @param {Event} event
   */
  light(event) {
    for (const e of this.$root.querySelectorAll(".lit")) e.classList.remove("lit");
    if (!(event.target instanceof Element)) return;
    const part = event.target.closest("[data-field]")?.getAttribute("data-field");
    const field = event.target.closest(".field, .grid td")?.querySelector("[name]")?.getAttribute("name");
    const lit = part
      ? this.controls().filter((e) => e.name.endsWith(part))
      : [...this.$root.querySelectorAll("[data-field]")].filter((e) => field?.endsWith(e.getAttribute("data-field") || "?"));
    for (const e of lit) e.classList.add("lit");
  },
  /** The section, or the first drawing, once more where it stays in sight: on a narrow screen the drawings lie below the fields. */
  dock() {
    // A wide screen shows no dock.
    if (this.$refs.dock.offsetParent === null) return;
    const drawings = this.$refs.drawings;
    const drawing = drawings.querySelector("svg.section") ?? drawings.querySelector("figure svg.drawing");
    this.$refs.dock.replaceChildren(...(drawing ? [drawing.cloneNode(true)] : []));
  },
}));

/** A panel of the workbench that takes some time, and is fetched by itself: what its element asks for, with the sheet as it is. */
export const fetchedPanel = component(() => ({
  asked: 0,
  /** @type {Record<string, string>} What is chosen in the panel. */
  chosen: {},

  init() {
    void this.fill();
  },
  /** @param {Event} event Another plane, or another string. */
  choose({ target }) {
    if (!(target instanceof HTMLSelectElement) || !target.name.startsWith("search_")) return;
    this.chosen[target.name] = target.value;
    void this.fill();
  },
  async fill() {
    const form = this.$root.closest("form");
    if (!form) return;
    const mine = ++this.asked;
    const { fetched = "", goal = "" } = this.$root.dataset;
    const body = new URLSearchParams();
    for (const [name, value] of new FormData(form)) body.append(name, String(value));
    for (const [name, value] of Object.entries({ ...this.chosen, goal })) if (value) body.set(name, value);
    let markup = "";
    try {
      const answer = await fetch(fetched, { method: "POST", body });
      markup = answer.ok && !answer.redirected ? await answer.text() : "<p>Correct the marked fields of the sheet first.</p>";
    } catch {
      markup = "<p>No connection; nothing is lost.</p>";
    }
    if (mine === this.asked) this.$root.innerHTML = markup;
  },
}));
