// The winding station: live turns, one-touch events, and nothing lost: what could not be sent waits here and says so.
import { all, around, byId } from "./elements.js";
import { EventQueue, newKey, outcomeOf } from "./event_queue.js";
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
 * @property {"run" | "stand" | "broke" | string | null} winder
 * @property {boolean} stands By the log, where no winder is attached.
 * @property {string} trouble
 * @property {string} [stop_key] Stops the winder, also while the database does not answer.
 */

const root = byId("station", HTMLElement);
const { run = "", csrf = "", winder = "0" } = root.dataset;
const hasWinder = winder !== "0";
const planned = Number(root.dataset.planned);
const stops = (root.dataset.stops ?? "").split(",").map(Number).concat(planned);
const output = Object.fromEntries(
  ["turns", "to-go", "next-stop", "minutes", "rpm", "tension", "unsent", "trouble", "trouble-box", "section", "done", "count-error"]
    .map((id) => [id, byId(id, HTMLElement)]),
);
const button = {
  go: byId("go", HTMLButtonElement),
  setCounter: byId("set-counter", HTMLButtonElement),
  theseTurns: byId("these-turns", HTMLButtonElement),
  sure: byId("sure", HTMLButtonElement),
};
const field = { count: byId("count", HTMLInputElement), words: byId("words", HTMLInputElement) };

/** @type {Live | null} */
let live = null;
let isRunning = false;
let lastStop = 0;
/** @type {(() => Promise<unknown>) | null} What waits for a confirmation. */
let asked = null;
let drawnAt = -1;

/** @param {string} path @param {Record<string, string>} fields */
const post = (path, fields) => fetch(path, { method: "POST", body: new URLSearchParams({ csrf, ...fields }) });

const queue = new EventQueue(localStorage, `station:${run}`, async (event) => {
  const answer = await post(`/runs/${run}/events`, event);
  if (answer.status === 409) trouble("This run is signed off: nothing more is logged.");
  if (answer.status === 422) trouble((await answer.json()).refused);
  return outcomeOf(answer);
}, (count) => {
  output.unsent.hidden = !count;
  output.unsent.textContent = count === 1
    ? "One event is not sent yet. It is kept here and sent as soon as there is a connection."
    : `${count} events are not sent yet. They are kept here and sent as soon as there is a connection.`;
});

async function send() {
  if (await queue.send() === "signed-out") trouble("Sign in again in another tab; your entries are kept here.");
}

/** @param {string} what @param {number} turn @param {string} [words] @param {boolean} [isSure] */
function log(what, turn, words = "", isSure = false) {
  const line = document.createElement("li");
  line.textContent = `${grouped(turn)}: ${words || what.replace("-", " ")}`;
  output.done.prepend(line);
  while (output.done.children.length > 6) output.done.lastChild?.remove();
  const confirmed = isSure ? "yes" : "";
  queue.keep([...queue.waiting(), { key: newKey(), what, at_turn: String(turn), words, confirmed }]);
  return send();
}

/** @param {string} text */
function trouble(text) {
  output["trouble-box"].hidden = !text;
  output.trouble.textContent = text;
  // A counter that does not fit the log is set to it, or taken as it stands, in one touch.
  const { counter, turns = 0, is_untaken: isUntaken = false } = live ?? {};
  const isOff = Boolean(text) && typeof counter === "number";
  const fits = counter === turns;
  // Nothing is wrong with a winder that only waits to be used.
  output["trouble-box"].classList.toggle("calm", isUntaken && fits && !live?.other_run);
  button.setCounter.hidden = !isOff;
  button.setCounter.textContent = isUntaken && fits
    ? "Count for this run"
    : `Set the counter to ${grouped(turns)}${isUntaken ? " and count for this run" : ""}`;
  button.theseTurns.hidden = !isOff || fits;
  button.theseTurns.textContent = `${grouped(counter ?? 0)} turns are on this coil`;
}

/**
 * Says what is wrong with a number of turns that was typed; one that can hardly be is logged when that is confirmed.
 * @param {string} text
 * @param {string} [label] Of the button that confirms.
 * @param {() => Promise<unknown>} [confirmed]
 */
function sayOfCount(text, label = "", confirmed) {
  output["count-error"].textContent = text;
  button.sure.hidden = !label;
  button.sure.textContent = label;
  asked = confirmed ?? null;
  if (label) button.sure.focus();
}

/** @param {"set" | "mine"} how */
const takeOver = (how) => command({ do: "take", how, from_other: live?.other_run ? "yes" : "" });

/**
 * Tells the winder something.
 * @param {Record<string, string>} fields
 * @returns {Promise<boolean>} Whether it took it.
 */
async function command(fields) {
  if (await isTaken(fields)) return true;
  return fields.do === "stop" && stopByKey();
}

/**
 * Stops the winder without a session, which is kept in the database that may be away.
 * @returns {Promise<boolean>} Whether it took it.
 */
async function stopByKey() {
  if (!live?.stop_key) return false;
  try {
    const body = new URLSearchParams({ key: live.stop_key });
    const answer = await fetch("/winder-stop", { method: "POST", body, credentials: "omit" });
    const isStopped = answer.ok && !(await answer.json()).trouble;
    if (isStopped) trouble("");
    return isStopped;
  } catch {
    return false;
  }
}

/**
 * @param {Record<string, string>} fields
 * @returns {Promise<boolean>} Whether the winder took it; what was in the way is shown.
 */
async function isTaken(fields) {
  try {
    const answer = await post(`/runs/${run}/winder`, { winder, ...fields });
    if (answer.redirected) {
      trouble("Nobody has touched this station for a while: load the page again and say who stands here.");
      return false;
    }
    const refusal = answer.ok ? (await answer.json()).trouble : "The winder did not accept the command.";
    trouble(refusal ?? "");
    return !refusal;
  } catch {
    trouble("No connection to the server. Use the winder’s own switch if it must stop.");
    return false;
  }
}

/** @param {Live} of */
const runs = (of) => (hasWinder ? of.winder === "run" : !of.stands);

async function runOrStop() {
  if (!live) return;
  const { turns, counter } = live;
  if (runs(live)) {
    if (hasWinder) await command({ do: "stop" });
    await log("stop", turns);
  } else {
    if (typeof counter === "number" && !(live.is_untaken && counter === turns && !live.other_run)) return;
    if (hasWinder && !(await command({ do: "run", rpm: byId("speed", HTMLInputElement).value }))) return;
    isRunning = true;
    await log("restart", turns);
  }
}

/** @param {Live} now */
function show(now) {
  output.turns.textContent = grouped(now.turns);
  byId("share", HTMLProgressElement).value = now.turns;
  output["to-go"].textContent = grouped(now.to_go);
  output["next-stop"].textContent = now.next_stop === null
    ? "done"
    : `${grouped(now.next_stop)}, in ${grouped(now.next_stop - now.turns)}`;
  output.minutes.textContent = now.minutes === null ? "–" : now.minutes.toFixed(1);
  output.rpm.textContent = now.rpm ? String(Math.round(now.rpm)) : "–";
  output.tension.textContent = now.tension_n === null ? "–" : `${now.tension_n.toFixed(2)} N`;
  button.go.textContent = now.winder === "broke" ? "Wire spliced: continue" : runs(now) ? "Stop" : "Run";
  button.go.classList.toggle("running", runs(now));
  trouble(now.winder === "broke"
    ? `The wire broke at turn ${grouped(now.turns)}. Splice it, log “wire broke, spliced”, and continue.`
    : now.trouble);
}

/** @param {Live} now */
async function drawSection({ turns }) {
  if (turns < 10 || Math.abs(turns - drawnAt) < 120) return;
  drawnAt = turns;
  const answer = await fetch(`/runs/${run}/section?turns=${turns}`);
  if (answer.ok) output.section.innerHTML = await answer.text();
}

/** @param {Live} now */
async function receive(now) {
  live = now;
  show(now);
  // The winder was told how far to run; that it stands at a stop is noted, and one that ran on is stopped.
  const reached = stops.filter((stop) => stop <= now.turns && stop > lastStop).pop();
  if (reached && hasWinder) {
    const ranToIt = isRunning || runs(now);
    lastStop = reached;
    if (runs(now) && now.turns > reached) await command({ do: "stop" });
    const words = reached === planned ? "end of the coil" : `stop at ${grouped(reached)}: check the guides`;
    if (ranToIt) void log("stop", now.turns, words);
  }
  isRunning = runs(now);
  await drawSection(now);
}

button.go.addEventListener("click", runOrStop);
button.setCounter.addEventListener("click", () => takeOver("set"));
button.theseTurns.addEventListener("click", () => takeOver("mine"));
button.sure.addEventListener("click", async () => {
  const confirmed = asked;
  sayOfCount("");
  await confirmed?.();
});
// Space runs and stops wherever the focus is, but where text is typed: whoever has just pressed a button for an event stops the
// winder with it, and does not press that button again. Enter presses buttons.
document.addEventListener("keydown", (event) => {
  if (event.code !== "Space" || around(event, "input, select, textarea")) return;
  event.preventDefault();
  if (!event.repeat) void runOrStop();
});
document.addEventListener("keyup", (event) => {
  if (event.code === "Space" && !around(event, "input, select, textarea")) event.preventDefault();
});
root.addEventListener("click", (event) => {
  const pressed = around(event, "[data-event]");
  if (pressed) void log(pressed.dataset.event ?? "", live?.turns ?? 0, pressed.textContent?.trim());
});
byId("by-hand", HTMLFormElement).addEventListener("submit", async (event) => {
  event.preventDefault();
  const turns = typedTurns(field.count.value);
  if (turns === null) {
    sayOfCount("Turns are a whole number up to 100,000.");
    return;
  }
  const what = event.submitter instanceof HTMLButtonElement ? event.submitter.value : "count";
  const logged = live?.turns ?? 0;
  const keep = async (isSure = false) => {
    sayOfCount("");
    if (what === "preset" && hasWinder && !(await command({ do: "preset", turns: String(turns) }))) return;
    await log(what, turns, what === "preset" ? `preset to ${grouped(turns)}` : `counted ${grouped(turns)}`, isSure);
    field.count.value = "";
  };
  if (turns > planned * 1.2 + 300) {
    const text = `${grouped(turns)} turns are far beyond the ${grouped(planned)} planned. Correct the number, or log it all the same.`;
    sayOfCount(text, `Log ${grouped(turns)}`, () => keep(true));
  } else if (what === "count" && turns < logged) {
    sayOfCount(`${grouped(logged)} turns are logged already, and a count only goes up. “Preset” sets fewer.`);
  } else await keep();
});
byId("remark", HTMLFormElement).addEventListener("submit", (event) => {
  event.preventDefault();
  const words = field.words.value.trim();
  if (words) void log("note", live?.turns ?? 0, words);
  field.words.value = "";
});
for (const chooser of all(root, "#winder")) {
  chooser.addEventListener("change", () => chooser.closest("form")?.submit());
}

// The browser connects again by itself; what waits is sent when it is back.
const source = new EventSource(`/runs/${run}/live?winder=${winder}`);
source.addEventListener("message", (event) => receive(JSON.parse(event.data)));
source.addEventListener("open", send);
source.addEventListener("error", () =>
  trouble("No connection to the server. The winder’s own counter goes on; this page reconnects by itself."));
queue.keep(queue.waiting());
void send();
setInterval(send, 3000);
