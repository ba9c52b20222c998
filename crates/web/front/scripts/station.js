// The winding station: live turns, one-touch events, and nothing lost: what could not be sent waits here and says so.
import { component } from "./component.js";
import { around, as } from "./elements.js";
import { EventQueue, newKey, outcomeOf } from "./event_queue.js";
import { merge } from "./merge.js";
import { grouped, typedTurns } from "./text.js";

/**
 * The state of the run, as the server streams it.
 * @typedef {object} Live
 * @property {number} turns
 * @property {number} to_go
 * @property {number | null} next_stop
 * @property {number | null} minutes
 * @property {number | null} rpm
 * @property {number | null} tension_n
 * @property {number | null} [counter] What the winder's own counter shows, where it does not fit the log.
 * @property {number} [other_run] The open run that the winder counts for instead.
 * @property {boolean} [is_untaken] Nobody said yet that the counter counts for this run.
 * @property {boolean} [is_closed] The run is signed off or void.
 * @property {"run" | "stand" | "broke" | string | null} winder
 * @property {boolean} stands By the log, where no winder is attached.
 * @property {string} trouble
 * @property {string} [stop_key] Stops the winder, also while the database does not answer.
 */

/** How often what waits is tried again, ms. */
const AGAIN_MS = 3000;
/** The section is drawn anew after so many turns. */
const DRAWN_EVERY = 120;
/** Lines of what was logged just now. */
const MOST_LINES = 6;

const TYPED_INTO = "input, select, textarea";

/**
 * @param {string} run
 * @param {string} winder Its number; 0 is none.
 * @param {string} planned Turns.
 * @param {string} stops Turns, separated by commas.
 */
export const station = component((run = "", winder = "0", planned = "0", stops = "") => ({
  hasWinder: winder !== "0",
  planned: Number(planned),
  /** @type {Live | null} */
  live: null,
  isRunning: false,
  lastStop: 0,
  drawnAt: -1,
  trouble: "",
  /** Why the winder did not do what was asked last, said at its button. */
  refused: "",
  waiting: 0,
  /** @type {{ id: number, text: string }[]} What was logged just now, newest first. */
  lines: [],
  count: "",
  countError: "",
  /** The button that confirms a number of turns, and what it does then. */
  sure: "",
  confirmed: /** @type {(() => Promise<unknown>) | null} */ (null),
  remark: "",
  speed: "",
  queue: /** @type {EventQueue | null} */ (null),

  init() {
    this.speed = this.$root.dataset.speed ?? "";
    this.queue = new EventQueue(localStorage, `station:${run}`, (event) => this.sendOne(event), (waiting) => {
      this.waiting = waiting;
    });
    // The browser connects again by itself; what waits is sent when it is back.
    const source = new EventSource(`/runs/${run}/live?winder=${winder}`);
    source.addEventListener("message", (event) => void this.receive(JSON.parse(event.data)));
    source.addEventListener("open", () => void this.send());
    source.addEventListener("error", () => {
      this.trouble = "No connection to the server. The winder’s own counter goes on; this page reconnects by itself.";
    });
    this.queue.keep(this.queue.waiting());
    void this.send();
    setInterval(() => void this.send(), AGAIN_MS);
  },

  // What is shown.

  /** @returns {number} */
  turns() {
    return this.live?.turns ?? 0;
  },
  runs() {
    if (!this.live) return false;
    return this.hasWinder ? this.live.winder === "run" : !this.live.stands;
  },
  /** @param {"to_go" | "minutes" | "rpm" | "tension_n"} what */
  shown(what) {
    const value = this.live?.[what] ?? null;
    if (value === null || (what === "rpm" && value === 0)) return "–";
    if (what === "minutes") return value.toFixed(1);
    if (what === "tension_n") return `${value.toFixed(2)} N`;
    return what === "rpm" ? String(Math.round(value)) : grouped(value);
  },
  nextStop() {
    if (!this.live) return "–";
    const { next_stop: stop, turns } = this.live;
    return stop === null ? "done" : `${grouped(stop)}, in ${grouped(stop - turns)}`;
  },
  grouped,
  goLabel() {
    if (!this.live) return this.hasWinder ? "Run" : "Continue";
    return this.live.winder === "broke" ? "Wire spliced: continue" : this.runs() ? "Stop" : "Run";
  },
  unsent() {
    return this.waiting === 1
      ? "One event is not sent yet. It is kept here and sent as soon as there is a connection."
      : `${this.waiting} events are not sent yet. They are kept here and sent as soon as there is a connection.`;
  },
  /** A counter that does not fit the log is set to it, or taken as it stands, in one touch. */
  isOff() {
    return this.trouble !== "" && typeof this.live?.counter === "number";
  },
  isClosed() {
    return Boolean(this.live?.is_closed);
  },
  fits() {
    return this.live?.counter === this.turns();
  },
  /** Nothing is wrong with a winder that only waits to be used. */
  isCalm() {
    return Boolean(this.live?.is_untaken) && this.fits() && !this.live?.other_run;
  },
  setLabel() {
    const isUntaken = Boolean(this.live?.is_untaken);
    if (isUntaken && this.fits()) return "Count for this run";
    return `Set the counter to ${grouped(this.turns())}${isUntaken ? " and count for this run" : ""}`;
  },
  takeLabel() {
    return `${grouped(this.live?.counter ?? 0)} turns are on this coil`;
  },

  // What is sent.

  /** @param {string} path @param {Record<string, string>} fields */
  post(path, fields) {
    const csrf = this.$root.dataset.csrf ?? "";
    return fetch(path, { method: "POST", body: new URLSearchParams({ csrf, ...fields }) });
  },
  /** @param {import("./event_queue.js").QueuedEvent} event */
  async sendOne(event) {
    const answer = await this.post(`/runs/${run}/events`, event);
    if (answer.status === 409) this.trouble = "This run is signed off: nothing more is logged.";
    if (answer.status === 422) this.trouble = (await answer.json()).refused;
    return outcomeOf(answer);
  },
  async send() {
    if ((await this.queue?.send()) === "signed-out") this.trouble = "Sign in again in another tab; your entries are kept here.";
  },
  /** @param {string} what @param {number} turn @param {string} [words] @param {boolean} [isSure] */
  log(what, turn, words = "", isSure = false) {
    const text = `${grouped(turn)}: ${words || what.replace("-", " ")}`;
    this.lines = [{ id: (this.lines[0]?.id ?? 0) + 1, text }, ...this.lines].slice(0, MOST_LINES);
    const event = { key: newKey(), what, at_turn: String(turn), words, confirmed: isSure ? "yes" : "" };
    this.queue?.keep([...this.queue.waiting(), event]);
    return this.send();
  },
  /**
   * Tells the winder something.
   * @param {Record<string, string>} fields
   * @returns {Promise<boolean>} Whether it took it.
   */
  async command(fields) {
    this.refused = "";
    if (await this.isTaken(fields)) return true;
    return fields.do === "stop" && (await this.stopByKey());
  },
  /**
   * Stops the winder without a session, which is kept in the database that may be away.
   * @returns {Promise<boolean>} Whether it took it.
   */
  async stopByKey() {
    const key = this.live?.stop_key;
    if (!key) return false;
    try {
      const body = new URLSearchParams({ key });
      const answer = await fetch("/winder-stop", { method: "POST", body, credentials: "omit" });
      const isStopped = answer.ok && !(await answer.json()).trouble;
      if (isStopped) this.refused = "";
      return isStopped;
    } catch {
      return false;
    }
  },
  /**
   * @param {Record<string, string>} fields
   * @returns {Promise<boolean>} Whether the winder took it; what was in the way is shown.
   */
  async isTaken(fields) {
    try {
      const answer = await this.post(`/runs/${run}/winder`, { winder, ...fields });
      if (answer.redirected) {
        this.refused = "Nobody has touched this station for a while: load the page again and say who stands here.";
        return false;
      }
      const refusal = answer.ok ? (await answer.json()).trouble : "The winder did not accept the command.";
      this.refused = refusal ?? "";
      return !refusal;
    } catch {
      this.refused = "No connection to the server. Use the winder’s own switch if it must stop.";
      return false;
    }
  },
  /** @param {"set" | "mine"} how */
  takeOver(how) {
    return this.command({ do: "take", how, from_other: this.live?.other_run ? "yes" : "" });
  },

  // What is done.

  async runOrStop() {
    if (!this.live) return;
    const { turns, counter } = this.live;
    if (this.runs()) {
      if (this.hasWinder) await this.command({ do: "stop" });
      await this.log("stop", turns);
    } else {
      const isUnsettled = typeof counter === "number" && !this.isCalm();
      this.refused = this.isClosed() ? this.trouble : isUnsettled ? "Settle the counter first, above: set it, or take its turns." : this.speedError();
      if (this.refused) return;
      if (this.hasWinder && !(await this.command({ do: "run", rpm: this.speed }))) return;
      this.isRunning = true;
      await this.log("restart", turns);
    }
  },
  speedError() {
    const speed = Number(this.speed.trim() || NaN);
    return !this.hasWinder || (speed >= 1 && speed <= 3000) ? "" : "A speed is a number from 1 to 3,000 turns a minute.";
  },
  /**
   * Space runs and stops wherever the focus is, but where text is typed: whoever has just pressed a button for an event stops the
   * winder with it, and does not press that button again. Enter presses buttons.
   * @param {KeyboardEvent} event
   */
  space(event) {
    if (event.code !== "Space" || around(event, TYPED_INTO)) return;
    event.preventDefault();
    if (event.type === "keydown" && !event.repeat) void this.runOrStop();
  },
  /** @param {Event} event */
  pressed(event) {
    const button = around(event, "[data-event]");
    if (button) void this.log(button.dataset.event ?? "", this.turns(), button.textContent?.trim());
  },
  /** @param {Live} now */
  async receive(now) {
    this.live = now;
    this.trouble =
      now.winder === "broke"
        ? `The wire broke at turn ${grouped(now.turns)}. Splice it, log “wire broke, spliced”, and continue.`
        : now.trouble;
    // The winder was told how far to run; that it stands at a stop is noted, and one that ran on is stopped.
    const all = stops.split(",").map(Number).concat(this.planned);
    const reached = all.filter((stop) => stop <= now.turns && stop > this.lastStop).pop();
    if (reached && this.hasWinder) {
      const ranToIt = this.isRunning || this.runs();
      this.lastStop = reached;
      if (this.runs() && now.turns > reached) await this.command({ do: "stop" });
      const words = reached === this.planned ? "end of the coil" : `stop at ${grouped(reached)}: check the guides`;
      if (ranToIt) void this.log("stop", now.turns, words);
    }
    this.isRunning = this.runs();
    await this.drawSection(now.turns);
  },
  /** @param {number} turns */
  async drawSection(turns) {
    if (turns < 10 || Math.abs(turns - this.drawnAt) < DRAWN_EVERY) return;
    this.drawnAt = turns;
    const answer = await fetch(`/runs/${run}/section?turns=${turns}`);
    if (answer.ok) merge(this.$refs.section, await answer.text());
  },
  /**
   * Says what is wrong with a number of turns that was typed; one that can hardly be is logged when that is confirmed.
   * @param {string} text
   * @param {string} [label] Of the button that confirms.
   * @param {() => Promise<unknown>} [confirmed]
   */
  async sayOfCount(text, label = "", confirmed) {
    this.countError = text;
    this.sure = label;
    this.confirmed = confirmed ?? null;
    await this.$nextTick();
    if (label) this.$refs.sure.focus();
  },
  async confirm() {
    const { confirmed } = this;
    await this.sayOfCount("");
    await confirmed?.();
  },
  /** @param {SubmitEvent} event */
  async byHand(event) {
    const turns = typedTurns(this.count);
    if (turns === null) return this.sayOfCount("Turns are a whole number up to 100,000.");
    const what = event.submitter ? as(event.submitter, HTMLButtonElement).value : "count";
    const logged = this.turns();
    const keep = async (isSure = false) => {
      await this.sayOfCount("");
      if (what === "preset" && this.hasWinder && !(await this.command({ do: "preset", turns: String(turns) }))) return;
      await this.log(what, turns, what === "preset" ? `preset to ${grouped(turns)}` : `counted ${grouped(turns)}`, isSure);
      this.count = "";
    };
    if (turns > this.planned * 1.2 + 300) {
      const text = `${grouped(turns)} turns are far beyond the ${grouped(this.planned)} planned. Correct the number, or log it all the same.`;
      return this.sayOfCount(text, `Log ${grouped(turns)}`, () => keep(true));
    }
    if (what === "count" && turns < logged) {
      return this.sayOfCount(`${grouped(logged)} turns are logged already, and a count only goes up. “Preset” sets fewer.`);
    }
    return keep();
  },
  note() {
    const words = this.remark.trim();
    if (words) void this.log("note", this.turns(), words);
    this.remark = "";
  },
}));
