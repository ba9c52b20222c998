// The workbench: new numbers while typing, undo, and a draft that survives the page.
import { ALIVE_MS, DraftStore, tabName } from "./drafts.js";
import { all, around, byId } from "./elements.js";
import { fieldMaps } from "./field_map.js";
import { plots } from "./plot.js";
import { timeLeft } from "./text.js";
import { UndoHistory } from "./undo_history.js";

/** @typedef {Record<string, string>} Values Fields by name. */
/**
 * The server's answer to a change.
 * @typedef {object} Preview
 * @property {Values} errors
 * @property {Values} meant How each typed value was understood.
 * @property {string} strip
 * @property {string} drawings
 * @property {string} notices
 * @property {string} [sheet] The fields anew, where others are shown.
 * @property {string} [document]
 * @property {boolean} [one_by_one]
 */
/** @typedef {"step" | "typed" | "restored"} Came What an answer of the server follows. */
/** @typedef {HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement} Control */

/** Fields that are no part of the design: which drawings are shown is no step of its history. */
const NOT_KEPT = ["csrf", "key", "parent", "seen", "beside", "view", "goal", "overlay"];
const NO_CONNECTION = "No connection; nothing is lost.";
const SIGN_IN_AGAIN = "Sign in again in another tab, then continue here.";
/** How long an answer is waited for before the connection counts as lost. */
const PATIENCE_MS = 20_000;
/** How long a button that is held down keeps an answer from being shown: a press takes less. */
const PRESS_MS = 700;
const BUTTONS = "[data-step], [data-field-of], [data-view], [data-goal], [data-search], [data-document], [data-overlay-off]";

/**
 * The section, or the first drawing, once more where it stays in sight: on a narrow screen the drawings lie below the fields.
 * @param {HTMLElement} drawings
 */
function dock(drawings) {
  const place = document.getElementById("dock-drawing");
  const drawing = drawings.querySelector("svg.section") ?? drawings.querySelector("figure svg.drawing");
  if (place) place.replaceChildren(...(drawing ? [drawing.cloneNode(true)] : []));
}

/** @param {unknown} found @returns {found is Control} */
const isControl = (found) =>
  found instanceof HTMLInputElement || found instanceof HTMLSelectElement || found instanceof HTMLTextAreaElement;

/** @param {EventTarget | Element | null} found */
const isTypedInto = (found) => found instanceof Element && found.matches("input, select");

const data = () => ({
  status: "",
  restored: false,
  cannotUndo: true,
  cannotRedo: true,
  /** @type {UndoHistory<Values>} */
  history: new UndoHistory({}),
  /** @type {Values} What the server sent. */
  server: {},
  draft: /** @type {DraftStore} */ (/** @type {unknown} */ (null)),
  /** The field that is being typed into. */
  typing: "",
  asked: 0,
  answered: 0,
  /** Ends when the last change of the whole design is answered: what is asked after it must hold it. */
  stepping: Promise.resolve(),
  /** Ends when no button is held down: one that is drawn anew under the pointer would lose its press. */
  pressing: Promise.resolve(),
  tables: 0,
  /** States put into the sheet so far, and whether the last one still waits for its fields. */
  puts: 0,
  isUnshown: false,
  /** @type {Values} What was chosen in a map's panel. */
  chosen: {},
  /** @type {string | null} */
  job: null,

  init() {
    this.draft = this.ownDraft();
    this.server = this.read();
    this.history = new UndoHistory(this.server);
    const kept = this.$root.dataset.refused ? null : this.draft.take();
    // Where the past is known it goes on, also from a state that the server sends by itself.
    const history = kept && UndoHistory.unpacked(kept.history);
    if (history) this.history = history;
    if (kept && JSON.stringify(kept.values) !== JSON.stringify(this.server)) {
      this.restored = true;
      // Else what the server sent is the one step before.
      if (!history) this.history.step(kept.values);
      void this.put(kept.values);
    }
    setInterval(() => this.draft.touch(), ALIVE_MS);
    addEventListener("pagehide", () => this.draft.leave());
    addEventListener("pageshow", () => this.draft.comeBack());
    dock(byId("drawings", HTMLElement));
    this.$root.addEventListener("pointerdown", (event) => this.pressed(event));
    this.arrange();
    void this.fetched();
  },

  /** The draft of this form in this tab. */
  ownDraft() {
    const form = `${this.$root.dataset.drafts}${this.$root.dataset.draft}`;
    const [entry] = performance.getEntriesByType("navigation");
    const isSamePage = entry instanceof PerformanceNavigationTiming && ["reload", "back_forward"].includes(entry.type);
    const tab = tabName(sessionStorage, isSamePage, (name) => new DraftStore(localStorage, form, name).isAlive());
    return new DraftStore(localStorage, form, tab);
  },
  /** @returns {Control[]} */
  fields() {
    return [...this.$root.elements].filter(isControl).filter((e) => e.name && !NOT_KEPT.includes(e.name));
  },
  /** @param {string} name @returns {Control} */
  control(name) {
    const found = this.$root.elements.namedItem(name);
    if (!isControl(found)) throw new TypeError(`no field ${name}`);
    return found;
  },
  /**
   * The form as it is sent; none of its fields holds a file.
   * @returns {URLSearchParams}
   */
  body() {
    const body = new URLSearchParams();
    for (const [name, value] of new FormData(this.$root)) body.append(name, String(value));
    return body;
  },
  /** @returns {Values} */
  read() {
    return Object.fromEntries(this.fields().map((e) => [e.name, e.value]));
  },
  /** @param {Values} values */
  write(values) {
    for (const e of this.fields()) {
      if (e.name in values) e.value = values[e.name];
    }
  },
  /**
   * Restores a saved state: where it has other parts than the sheet shows, with its own fields.
   * @param {Values} values
   */
  async put(values) {
    const mine = ++this.puts;
    // Answers on their way are of the state that is left: they are not shown any more.
    this.answered = ++this.asked;
    // Where the fields of the state before are not here yet, those of this one are asked for in any case.
    const isOther =
      this.isUnshown || ["document", "poles_each"].some((name) => values[name] !== this.control(name).value);
    this.isUnshown = isOther;
    this.write(values);
    // Who leaves before the server has shown the state's fields finds it again all the same.
    this.history.now = values;
    this.keepDraft();
    if (isOther) await this.ask("show", values, true);
    // Who goes on to another state meanwhile does not want this one back.
    if (mine !== this.puts) return;
    this.isUnshown = false;
    this.write(values);
    this.history.now = this.read();
    this.changedTo();
  },
  keepDraft() {
    this.draft.keep(this.history.now, this.history.packed());
  },

  /** @param {Event} [event] */
  changed(event) {
    const target = event?.target ?? null;
    const name = isControl(target) ? target.name : "";
    // What the panels are filled with changes no design.
    if (name === "search_overlay") {
      if (event?.type === "change" && isControl(target)) this.layOver(target.value, true);
      return;
    }
    if (isControl(target) && target.matches("[data-map-choice]")) {
      if (event?.type === "change") this.chooseMap(target.name, target.value);
      return;
    }
    if (name.startsWith("search_")) return;
    // However many keys it takes to type a value, it is one step.
    const goesOn = event?.type === "input" && name !== "" && this.typing === name;
    this.typing = event?.type === "input" ? name : "";
    if (goesOn ? this.history.amend(this.read()) : this.history.step(this.read())) this.changedTo();
  },
  undo() {
    this.typing = "";
    const values = this.history.undo();
    if (values) void this.put(values);
  },
  redo() {
    this.typing = "";
    const values = this.history.redo();
    if (values) void this.put(values);
  },
  async discard() {
    this.history.step(this.server);
    await this.put(this.server);
    this.draft.drop();
    this.restored = false;
  },
  /**
   * Buttons that change the whole design, choose drawings or save one.
   * @param {Event} event
   */
  clicked(event) {
    const chosen = around(event, BUTTONS)?.dataset;
    if (!chosen) return;
    if (chosen.step) void this.ask(chosen.step);
    else if (chosen.fieldOf) this.bringUp(chosen.fieldOf);
    else if (chosen.document) {
      // What the sheet holds is one step of undo; its drawings come with it.
      this.control("view").value = "pickup";
      void this.ask("load", { document: chosen.document });
    } else if (chosen.search) void this.search(chosen.search);
    else if (chosen.overlayOff) this.layOver(chosen.overlayOff, false);
    else {
      const name = chosen.goal ? "goal" : "view";
      this.control(name).value = chosen.goal ?? chosen.view ?? "";
      void this.ask();
    }
  },
  /**
   * Opens the part of the sheet that a field is in, and goes to it.
   * @param {string} name
   */
  bringUp(name) {
    const field = this.$root.querySelector(`[name="${CSS.escape(name)}"]`);
    if (!(field instanceof HTMLElement)) return;
    field.closest("details")?.setAttribute("open", "");
    field.scrollIntoView({ block: "center" });
    field.focus({ preventScroll: true });
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
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
    void this.ask();
  },
  /**
   * A search runs on the server; this shows how far it is until it is done.
   * @param {string} what `cancel` ends one.
   */
  async search(what) {
    const body = this.body();
    if (what === "cancel") {
      if (this.job) await fetch(`/jobs/${this.job}/cancel`, { method: "POST", body });
      return;
    }
    const bar = byId("search-progress", HTMLProgressElement);
    const status = byId("search-status", HTMLElement);
    const cancel = this.$root.querySelector("[data-search=cancel]");
    /** @param {boolean} isHidden */
    const hide = (isHidden) => {
      bar.hidden = isHidden;
      cancel?.toggleAttribute("hidden", isHidden);
    };
    const began = Date.now();
    try {
      const { job, errors } = await (await fetch("/designs/search", { method: "POST", body })).json();
      this.mark(errors);
      if (Object.keys(errors).length) {
        status.textContent = "Not started: see the marked fields.";
        return;
      }
      this.job = job;
      hide(false);
      let found = { done: false, share: 0, results: /** @type {string | null} */ (null) };
      while (!found.done) {
        await new Promise((done) => setTimeout(done, 250));
        found = await (await fetch(`/designs/search/${job}`)).json();
        bar.value = found.share;
        status.textContent = timeLeft(found.share, (Date.now() - began) / 1000) || "searching";
      }
      status.textContent = found.results === null ? "Stopped." : "";
      const results = document.getElementById("search-results");
      if (results && found.results !== null) {
        results.innerHTML = found.results;
        results.scrollIntoView({ block: "start" });
      }
    } catch {
      status.textContent = NO_CONNECTION;
    }
    hide(true);
    this.job = null;
  },
  /** Tables and maps that take some time are fetched by themselves: what the panel asks for, with the sheet as it is. */
  async fetched() {
    const [panel] = all(document, "[data-fetched]");
    if (panel) await this.fill(panel, panel.dataset.fetched ?? "", { goal: panel.dataset.goal ?? "" });
  },
  /**
   * Fills a panel from a page.
   * @param {HTMLElement} panel
   * @param {string} from
   * @param {Values} more Fields beside the sheet's.
   */
  async fill(panel, from, more) {
    const mine = ++this.tables;
    const body = this.body();
    for (const [name, value] of Object.entries({ ...this.chosen, ...more })) if (value) body.set(name, value);
    try {
      const answer = await fetch(from, { method: "POST", body });
      if (mine !== this.tables) return;
      if (answer.ok && !answer.redirected) {
        panel.outerHTML = await answer.text();
        fieldMaps(document);
      } else panel.textContent = "Correct the marked fields of the sheet first.";
    } catch {
      panel.textContent = NO_CONNECTION;
    }
  },
  /**
   * Another plane, or another string: the maps anew. The choice is kept while the sheet changes.
   * @param {string} name
   * @param {string} value
   */
  chooseMap(name, value) {
    this.chosen[name] = value;
    const [panel] = all(document, "[data-fetched-again]");
    if (panel) void this.fill(panel, panel.dataset.fetchedAgain ?? "", {});
  },
  /**
   * Shows messages at their fields.
   * @param {Values} errors
   */
  mark(errors) {
    for (const e of this.fields()) {
      const message = errors[e.name] ?? "";
      e.classList.toggle("is-invalid", message !== "");
      if (message) e.setAttribute("aria-invalid", "true");
      else e.removeAttribute("aria-invalid");
      const at = document.getElementById(`e-${e.name}`);
      if (at) at.textContent = message;
    }
  },
  /**
   * A part under the pointer lights its field, a field its part.
   * @param {Event} event
   */
  lit(event) {
    for (const e of this.$root.querySelectorAll(".lit")) e.classList.remove("lit");
    if (!(event.target instanceof Element)) return;
    const part = event.target.closest("[data-field]")?.getAttribute("data-field");
    const field = event.target.closest(".field, .grid td")?.querySelector("[name]")?.getAttribute("name");
    if (part) {
      for (const e of this.fields()) if (e.name.endsWith(part)) e.classList.add("lit");
    } else if (field) {
      for (const e of this.$root.querySelectorAll("#drawings [data-field], #dock [data-field]")) {
        const of = e.getAttribute("data-field");
        if (of && field.endsWith(of)) e.classList.add("lit");
      }
    }
  },
  changedTo() {
    this.keepDraft();
    this.arrange();
    void this.ask();
  },
  /**
   * Enter computes; saving is an act of its own, by its button.
   * @param {KeyboardEvent} event
   */
  entered(event) {
    if (!(event.target instanceof HTMLInputElement)) return;
    event.preventDefault();
    if (!this.history.step(this.read())) void this.ask();
    else this.changedTo();
  },
  /** @param {KeyboardEvent} event */
  keys(event) {
    if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
    event.preventDefault();
    if (event.shiftKey) this.redo();
    else this.undo();
  },
  leaving() {
    sessionStorage.setItem("sent-draft", this.draft.name);
  },
  /**
   * Answers wait until the button that is held down is released and its press has been taken.
   * @param {Event} event
   */
  pressed(event) {
    if (!around(event, BUTTONS)) return;
    this.pressing = new Promise((done) => {
      const release = () => setTimeout(done);
      for (const name of ["pointerup", "pointercancel"]) addEventListener(name, release, { once: true });
      setTimeout(done, PRESS_MS);
    });
  },
  /** Which way undo can go. */
  arrange() {
    this.cannotUndo = !this.history.past.length;
    this.cannotRedo = !this.history.future.length;
  },

  /**
   * Asks for new numbers, after the changes of the whole design that were asked for before.
   * @param {string} [step] A change of the whole design.
   * @param {Values} [values] Sent in place of the form's own.
   * @param {boolean} [isRestoring] Whether a state of the history is shown again, which is no new step of it.
   */
  async ask(step = "", values = {}, isRestoring = false) {
    const before = this.stepping;
    const { puts } = this;
    const asked = (async () => {
      await before;
      // Who has gone on to another state meanwhile does not want this one.
      if (!isRestoring || puts === this.puts) await this.send(step, values, isRestoring);
    })();
    if (step) this.stepping = asked;
    await asked;
  },
  /**
   * Sends the form and shows the answer; one that is older than another shown is dropped.
   * @param {string} step
   * @param {Values} values
   * @param {boolean} isRestoring
   */
  async send(step, values, isRestoring) {
    const mine = ++this.asked;
    const body = this.body();
    for (const [name, value] of Object.entries(values)) body.set(name, value);
    body.set("step", step);
    const sent = this.read();
    // What a whole step makes of the design is known, and kept, only with its answer.
    if (step && !isRestoring) this.status = "";
    const strip = byId("strip", HTMLElement);
    strip.setAttribute("aria-busy", "true");
    try {
      const signal = AbortSignal.timeout(PATIENCE_MS);
      const answer = await fetch("/designs/preview", { method: "POST", body, signal });
      if (answer.redirected || !answer.ok) {
        throw new Error(answer.redirected || answer.status === 403 ? SIGN_IN_AGAIN : "No figures just now.");
      }
      /** @type {Preview} */
      const found = await answer.json();
      await this.pressing;
      if (mine < this.answered) return;
      this.answered = mine;
      this.show(found, strip, isRestoring ? "restored" : step ? "step" : "typed", sent);
    } catch (problem) {
      if (mine < this.answered) return;
      strip.classList.add("stale");
      const isOffline = !(problem instanceof Error) || ["TypeError", "TimeoutError"].includes(problem.name);
      this.status = isOffline ? "No connection; the draft is saved here." : problem.message;
    } finally {
      if (mine === this.asked) strip.removeAttribute("aria-busy");
    }
  },
  /** @param {Preview} found @param {HTMLElement} strip @param {Came} from @param {Values} sent The fields as they were sent. */
  show(found, strip, from, sent) {
    if (found.sheet) this.reshape(found.sheet, found, from, sent);
    const wrong = Object.keys(found.errors).length;
    // A name is asked for when the design is saved, not while it is being thought about.
    this.mark(found.errors);
    for (const e of this.fields()) this.echo(e.name, found.meant[e.name] ?? "");
    strip.classList.toggle("stale", wrong > 0);
    if (wrong) {
      this.status = wrong === 1 ? "One field to correct" : `${wrong} fields to correct`;
      return;
    }
    this.status = "Draft saved";
    strip.innerHTML = found.strip;
    const drawings = byId("drawings", HTMLElement);
    // Nobody's typing is taken from under the fingers: a panel that is being filled in stays.
    if (!drawings.contains(document.activeElement) || !isTypedInto(document.activeElement)) {
      drawings.innerHTML = found.drawings;
      dock(drawings);
      plots(drawings);
      void this.fetched();
    }
    byId("notices", HTMLElement).innerHTML = found.notices;
  },
  /**
   * Other parts, other fields: the sheet is shown anew. A whole step is one of the history; what a typed value brings belongs
   * to the step of typing it; a state that is shown again is none.
   * @param {string} sheet
   * @param {Preview} found
   * @param {Came} from
   * @param {Values} sent
   */
  reshape(sheet, found, from, sent) {
    const focused = document.activeElement?.id;
    // What was typed while the answer was on its way is newer than the answer.
    const typed = Object.entries(this.read()).filter(([name, value]) => value !== (sent[name] ?? value));
    byId("fields", HTMLElement).innerHTML = sheet;
    if (found.document) {
      this.control("document").value = found.document;
      this.control("poles_each").value = found.one_by_one ? "yes" : "";
      if (from !== "restored") this.write(Object.fromEntries(typed));
      if (from !== "restored") {
        if (from === "step") this.history.step(this.read());
        else this.history.amend(this.read());
        this.typing = "";
        this.keepDraft();
        this.arrange();
      }
    }
    if (focused) document.getElementById(focused)?.focus();
  },
  /**
   * How a typed value was understood, beside its hint.
   * @param {string} name
   * @param {string} words
   */
  echo(name, words) {
    const hint = document.getElementById(`h-${name}`);
    if (!hint) return;
    let span = hint.querySelector(".meant");
    if (!span && words) {
      span = document.createElement("span");
      span.className = "meant";
      hint.append(" ", span);
    }
    if (span) span.textContent = words;
  },

  /** Filled by the library: the form. */
  $root: /** @type {HTMLFormElement} */ (/** @type {unknown} */ (null)),
});

document.addEventListener("alpine:init", () => {
  Alpine.data("workbench", () => {
    // The library's own property is not shadowed by the declaration that types it.
    const { $root: _declared, ...component } = data();
    return component;
  });
});
