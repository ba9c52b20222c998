// A form of which the server says what it means while it is filled in: figures anew while fields change, messages at fields, other
// fields where the form's shape changes; with undo, and a draft that survives the page.
import { component } from "./component.js";
import { ALIVE_MS, DraftStore, tabName } from "./drafts.js";
import { as, bodyOf, bringUp, isControl, markErrors } from "./elements.js";
import { merge } from "./merge.js";
import { UndoHistory } from "./undo_history.js";

/** @typedef {import("./elements.js").Control} Control */
/** @typedef {Record<string, string>} Values Fields by name; a box that is not ticked is empty. */
/**
 * The server's answer to a change.
 * @typedef {object} Answer
 * @property {Values} errors By field.
 * @property {Values} [meant] How each typed value was understood.
 * @property {Values} [parts] Markup by the id of the element that it belongs into.
 * @property {string | null} [fields] Markup of the fields, where others are shown.
 * @property {Values} [values] Of hidden fields that go with other fields.
 */
/** @typedef {"step" | "typed" | "restored"} Came What an answer follows. */

const NO_CONNECTION = "No connection; the draft is saved here.";
const SIGN_IN_AGAIN = "Sign in again in another tab, then continue here.";
/** How long an answer is waited for before the connection counts as lost. */
const PATIENCE_MS = 20_000;

/** @param {Control} control */
const isBox = (control) => control instanceof HTMLInputElement && control.type === "checkbox";
/** @param {Control} control */
const valueOf = (control) => (isBox(control) && !(/** @type {HTMLInputElement} */ (control).checked) ? "" : control.value);

/**
 * The component of a form. Its template has `x-ref` on the form, its fields and, where they turn pale when they are old, its figures.
 * @param {object} settings
 * @param {string} settings.url Where the server is asked.
 * @param {string} settings.shapers Fields whose change shows other fields.
 * @param {string[]} settings.apart Names of fields that are no part of what is undone and drafted.
 * @param {number} [settings.pauseMs] How long the next key is waited for before the server is asked.
 */
export const liveForm = ({ url, shapers, apart, pauseMs = 0 }) =>
  component(() => ({
    status: "",
    /** Whether a draft was restored. */
    restored: false,
    isAsking: false,
    isStale: false,
    /** @type {UndoHistory<Values>} */
    history: new UndoHistory({}),
    /** @type {Values} What the server sent. */
    server: {},
    draft: /** @type {DraftStore | null} */ (null),
    /** The field that is being typed into: one step, until it is left. */
    typing: "",
    asked: 0,
    answered: 0,
    /** Ends when the last change of the whole form is answered: what is asked after it must hold it. */
    stepping: Promise.resolve(),
    /** @type {ReturnType<typeof setTimeout> | undefined} */
    pause: undefined,
    /** States put into the form so far, and whether the last one still waits for its fields. */
    puts: 0,
    isUnshown: false,

    init() {
      this.draft = this.ownDraft();
      this.server = this.read();
      this.history = new UndoHistory(this.server);
      this.$store.undo.undo = () => this.undo();
      this.$store.undo.redo = () => this.redo();
      this.restore();
      setInterval(() => this.draft?.touch(), ALIVE_MS);
      addEventListener("pagehide", () => this.draft?.leave());
      addEventListener("pageshow", () => this.draft?.comeBack());
      this.arrange();
    },
    /** Goes on from the draft, where there is one. */
    restore() {
      const kept = this.form().dataset.refused ? null : this.draft?.take();
      if (!kept) return;
      // Where the past is known it goes on, also from a state that the server sends by itself.
      const history = UndoHistory.unpacked(kept.history);
      if (history) this.history = history;
      if (JSON.stringify(kept.values) === JSON.stringify(this.server)) return;
      this.restored = true;
      // Else what the server sent is the one step before.
      if (!history) this.history.step(kept.values);
      void this.put(kept.values);
    },
    /** The draft of this form in this tab; none of a form that names none. */
    ownDraft() {
      const { draft, drafts } = this.form().dataset;
      if (!draft) return null;
      const form = `${drafts}${draft}`;
      const [entry] = performance.getEntriesByType("navigation");
      const isSamePage = entry instanceof PerformanceNavigationTiming && ["reload", "back_forward"].includes(entry.type);
      const tab = tabName(sessionStorage, isSamePage, (name) => new DraftStore(localStorage, form, name).isAlive());
      return new DraftStore(localStorage, form, tab);
    },
    form() {
      return as(this.$refs.form, HTMLFormElement);
    },
    /** @returns {Control[]} */
    controls() {
      return [...this.form().elements].filter(isControl).filter((e) => e.name && !apart.includes(e.name));
    },
    /** @param {string} name @returns {Control} */
    control(name) {
      const found = this.form().elements.namedItem(name);
      if (!isControl(found)) throw new TypeError(`no field ${name}`);
      return found;
    },
    /** @returns {Values} */
    read() {
      return Object.fromEntries(this.controls().map((e) => [e.name, valueOf(e)]));
    },
    /** @param {Values} values */
    write(values) {
      for (const e of this.controls()) {
        if (!(e.name in values)) continue;
        if (isBox(e)) /** @type {HTMLInputElement} */ (e).checked = values[e.name] !== "";
        else e.value = values[e.name];
      }
    },
    /**
     * Whether a state has other fields than the form shows.
     * @param {Values} values
     */
    hasOtherFields(values) {
      const shown = this.controls();
      return (
        shown.some((e) => !(e.name in values) || (e.matches(shapers) && values[e.name] !== valueOf(e))) ||
        Object.keys(values).length !== new Set(shown.map((e) => e.name)).size
      );
    },
    /**
     * Restores a saved state: where it has other fields than the form shows, with its own.
     * @param {Values} values
     */
    async put(values) {
      const mine = ++this.puts;
      // Answers on their way are of the state that is left: they are not shown any more.
      this.answered = ++this.asked;
      // Where the fields of the state before are not here yet, those of this one are asked for in any case.
      const isOther = this.isUnshown || this.hasOtherFields(values);
      this.isUnshown = isOther;
      this.write(values);
      // Who leaves before the server has shown the state's fields finds it again all the same.
      this.history.now = values;
      this.keepDraft();
      if (isOther) await this.ask("show", values, "restored");
      // Who goes on to another state meanwhile does not want this one back.
      if (mine !== this.puts) return;
      this.isUnshown = false;
      this.write(values);
      this.history.now = this.read();
      this.changedTo();
    },
    keepDraft() {
      this.draft?.keep(this.history.now, this.history.packed());
    },
    /** @param {Event} event Of a field that was typed into or changed. */
    changed(event) {
      const { target } = event;
      if (!isControl(target) || apart.includes(target.name) || !this.isOwn(target)) return;
      // However many keys it takes to type a value, it is one step.
      const isTyping = event.type === "input" && !isBox(target) && !(target instanceof HTMLSelectElement);
      const goesOn = isTyping && this.typing === target.name;
      this.typing = isTyping ? target.name : "";
      if (!(goesOn ? this.history.amend(this.read()) : this.history.step(this.read()))) return;
      if (target.matches(shapers)) {
        this.keepDraft();
        this.arrange();
        void this.ask("show", {}, "typed");
      } else this.changedTo();
    },
    /**
     * Whether a field is one of the form's own; others may stand in it.
     * @param {Control} control
     */
    isOwn(control) {
      return this.form().contains(control);
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
      this.draft?.drop();
      this.restored = false;
    },
    changedTo() {
      this.keepDraft();
      this.arrange();
      clearTimeout(this.pause);
      if (pauseMs > 0) this.pause = setTimeout(() => void this.ask(), pauseMs);
      else void this.ask();
    },
    /**
     * Enter computes; saving is an act of its own, by its button.
     * @param {KeyboardEvent} event
     */
    entered(event) {
      if (!(event.target instanceof HTMLInputElement) || !this.form().contains(event.target)) return;
      event.preventDefault();
      if (!this.history.step(this.read())) void this.ask();
      else this.changedTo();
    },
    /** @param {KeyboardEvent} event */
    keys(event) {
      const key = event.key.toLowerCase();
      if (!(event.ctrlKey || event.metaKey) || !["z", "y"].includes(key)) return;
      event.preventDefault();
      if (event.shiftKey || key === "y") this.redo();
      else this.undo();
    },
    /** The form is sent: its draft is done with when it was taken. */
    leaving() {
      if (this.draft) sessionStorage.setItem("sent-draft", this.draft.name);
    },
    /** Which way undo can go. */
    arrange() {
      this.$store.undo.isFirst = !this.history.past.length;
      this.$store.undo.isLast = !this.history.future.length;
    },
    /**
     * Asks for new figures, after the changes of the whole form that were asked for before.
     * @param {string} [step] A change of the whole form.
     * @param {Values} [values] Sent in place of the form's own.
     * @param {Came} [from] What the answer follows.
     */
    async ask(step = "", values = {}, from = step ? "step" : "typed") {
      clearTimeout(this.pause);
      const before = this.stepping;
      const { puts } = this;
      const asked = (async () => {
        await before;
        // Who has gone on to another state meanwhile does not want this one.
        if (from !== "restored" || puts === this.puts) await this.send(step, values, from);
      })();
      if (step) this.stepping = asked;
      await asked;
    },
    /**
     * Sends the form and shows the answer; one that is older than another shown is dropped.
     * @param {string} step
     * @param {Values} values
     * @param {Came} from
     */
    async send(step, values, from) {
      const mine = ++this.asked;
      const body = bodyOf(this.form());
      for (const [name, value] of Object.entries(values)) body.set(name, value);
      body.set("step", step);
      const sent = this.read();
      // What a whole step makes of the form is known, and kept, only with its answer.
      if (from === "step") this.status = "";
      this.isAsking = true;
      try {
        const answer = await fetch(url, { method: "POST", body, signal: AbortSignal.timeout(PATIENCE_MS) });
        if (answer.redirected || !answer.ok) {
          throw new Error(answer.redirected || answer.status === 403 ? SIGN_IN_AGAIN : "No figures just now.");
        }
        /** @type {Answer} */
        const found = await answer.json();
        if (mine < this.answered) return;
        this.answered = mine;
        this.show(found, from, sent);
      } catch (problem) {
        if (mine < this.answered) return;
        this.isStale = true;
        const isOffline = !(problem instanceof Error) || ["TypeError", "TimeoutError"].includes(problem.name);
        this.status = isOffline ? NO_CONNECTION : problem.message;
      } finally {
        if (mine === this.asked) this.isAsking = false;
      }
    },
    /**
     * @param {Answer} found
     * @param {Came} from
     * @param {Values} sent The fields as they were sent.
     */
    show(found, from, sent) {
      if (typeof found.fields === "string") this.reshape(found.fields, found.values ?? {}, from, sent);
      markErrors(this.form(), found.errors);
      for (const e of this.controls()) this.echo(e.name, found.meant?.[e.name] ?? "");
      const wrong = Object.keys(found.errors).length;
      this.isStale = wrong > 0;
      this.status = wrong === 0 ? "Draft saved" : wrong === 1 ? "One field to correct" : `${wrong} fields to correct`;
      const isNewer = this.newerThan(sent);
      for (const [id, markup] of Object.entries(found.parts ?? {})) {
        const part = document.getElementById(id);
        if (part) merge(part, markup, isNewer);
      }
      this.$dispatch("figures-shown");
    },
    /**
     * Which fields were changed after they were sent.
     * @param {Values} sent
     */
    newerThan(sent) {
      const now = this.read();
      const newer = Object.entries(now).filter(([name, value]) => value !== (sent[name] ?? value));
      return (/** @type {string} */ name) => newer.some(([changed]) => changed === name);
    },
    /**
     * Other fields are shown. A whole step is one of the history; what a typed value brings belongs to the step of typing it; a state
     * that is shown again is none.
     * @param {string} markup
     * @param {Values} hidden
     * @param {Came} from
     * @param {Values} sent
     */
    reshape(markup, hidden, from, sent) {
      // What was typed while the answer was on its way is newer than the answer; what is put back is newer than all.
      merge(this.$refs.fields, markup, from === "restored" ? () => false : this.newerThan(sent));
      for (const [name, value] of Object.entries(hidden)) this.control(name).value = value;
      if (from === "restored") return;
      if (from === "step") this.history.step(this.read());
      else this.history.amend(this.read());
      this.typing = "";
      this.keepDraft();
      this.arrange();
    },
    /**
     * How a typed value was understood, beside its hint.
     * @param {string} name
     * @param {string} words
     */
    echo(name, words) {
      const hint = document.getElementById(`h-${name}`);
      let span = hint?.querySelector(".meant");
      if (hint && !span && words) {
        span = document.createElement("span");
        span.className = "meant";
        hint.append(" ", span);
      }
      if (span) span.textContent = words;
    },
    /** @param {string} name */
    goTo(name) {
      bringUp(this.form().elements.namedItem(name));
    },
  }))();
