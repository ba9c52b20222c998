// The winding station: live turns, one-touch events, and nothing lost: what could not be sent waits here and says so.
"use strict";
(() => {
  const root = document.getElementById("station");
  const { run, csrf, winder } = root.dataset;
  const planned = Number(root.dataset.planned);
  const at = (id) => document.getElementById(id);
  const spaced = (n) => String(n).replace(/\B(?=(\d{3})+$)/g, n > 9999 ? "\u202f" : "");
  const QUEUE = `station:${run}`;
  let live = { turns: 0, winder: null, stands: true };
  let sending = false;

  const queue = () => {
    try { return JSON.parse(localStorage.getItem(QUEUE)) ?? []; } catch { return []; }
  };
  const keep = (all) => {
    localStorage.setItem(QUEUE, JSON.stringify(all));
    at("unsent").hidden = !all.length;
    at("unsent").textContent = all.length === 1 ? "One event is not sent yet. It is kept here and sent as soon as there is a connection." : `${all.length} events are not sent yet. They are kept here and sent as soon as there is a connection.`;
  };
  const key = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");
  const post = (path, fields) => fetch(path, { method: "POST", body: new URLSearchParams({ csrf, ...fields }) });

  // In order, each until the server has it; its key makes sure that it is there once.
  async function send() {
    if (sending) return;
    sending = true;
    try {
      for (let all = queue(); all.length; all = queue()) {
        const answer = await post(`/runs/${run}/events`, all[0]);
        if (answer.redirected || answer.status === 403) {
          trouble("Sign in again in another tab; your entries are kept here.");
          break;
        }
        // What the server refuses it will refuse later too: it is told, and not sent again.
        const isRefused = [400, 404, 409].includes(answer.status);
        if (!answer.ok && !isRefused) break;
        if (answer.status === 409) trouble("This run is signed off: nothing more is logged.");
        keep(queue().slice(1));
      }
    } catch {
      // No connection: it waits.
    }
    sending = false;
  }
  function note(what, turn, words = "") {
    keep([...queue(), { key: key(), what, at_turn: turn, words }]);
    const line = document.createElement("li");
    line.textContent = `${spaced(turn)}: ${words || what.replace("-", " ")}`;
    at("done").prepend(line);
    while (at("done").children.length > 6) at("done").lastChild.remove();
    return send();
  }
  function trouble(text) {
    at("trouble-box").hidden = !text;
    at("trouble").textContent = text;
    // A counter that was switched off is set to what the log knows, in one touch.
    at("set-counter").hidden = !text || live.counter === null || live.counter === undefined;
    at("set-counter").textContent = `Set the counter to ${spaced(live.turns)}`;
  }
  async function command(fields) {
    try {
      const answer = await post(`/runs/${run}/winder`, { winder, ...fields });
      const refusal = answer.ok ? (await answer.json()).trouble : "The winder did not accept the command.";
      trouble(refusal ?? "");
      return !refusal;
    } catch {
      trouble("No connection to the server. Use the winder’s own switch if it must stop.");
      return false;
    }
  }

  async function go() {
    const runs = winder === "0" ? !live.stands : live.winder === "run";
    if (!runs && typeof live.counter === "number") return;
    if (runs) {
      if (winder !== "0") await command({ do: "stop" });
      await note("stop", live.turns);
    } else {
      if (winder !== "0" && !(await command({ do: "run", rpm: at("speed").value }))) return;
      ran = true;
      await note("restart", live.turns);
    }
  }
  at("go").addEventListener("click", go);
  at("set-counter").addEventListener("click", async () => {
    const { turns } = live;
    if (await command({ do: "preset", turns })) await note("preset", turns, `counter set to ${spaced(turns)}`);
  });
  document.addEventListener("keydown", (event) => {
    if (event.code !== "Space" || event.repeat || event.target.closest("input, select, button, a")) return;
    event.preventDefault();
    go();
  });
  root.addEventListener("click", (event) => {
    const what = event.target.closest("[data-event]")?.dataset.event;
    if (what) note(what, live.turns, event.target.textContent.trim());
  });
  at("by-hand").addEventListener("submit", async (event) => {
    event.preventDefault();
    const turns = Number(at("count").value.replace(/[\s,.\u202f]/g, ""));
    if (!Number.isInteger(turns) || turns < 0 || turns > 100000 || !at("count").value.trim()) {
      trouble("Turns are a whole number up to 100,000.");
      return;
    }
    const what = event.submitter?.value ?? "count";
    if (what === "preset" && winder !== "0") await command({ do: "preset", turns });
    await note(what, turns, what === "preset" ? `preset to ${spaced(turns)}` : `counted ${spaced(turns)}`);
    at("count").value = "";
  });
  at("remark").addEventListener("submit", (event) => {
    event.preventDefault();
    if (at("words").value.trim()) note("note", live.turns, at("words").value.trim());
    at("words").value = "";
  });
  at("winder").addEventListener("change", (event) => event.target.form.submit());

  const stops = root.dataset.stops.split(",").map(Number).concat(planned);
  let drawn = -1;
  let stopped = 0;
  let ran = false;
  async function show(now) {
    live = now;
    at("turns").textContent = spaced(now.turns);
    at("share").value = now.turns;
    at("to-go").textContent = spaced(now.to_go);
    at("next-stop").textContent = now.next_stop === null ? "done" : `${spaced(now.next_stop)}, in ${spaced(now.next_stop - now.turns)}`;
    at("minutes").textContent = now.minutes === null ? "–" : now.minutes.toFixed(1);
    at("rpm").textContent = now.rpm ? String(Math.round(now.rpm)) : "–";
    at("tension").textContent = now.tension_n === null ? "–" : `${now.tension_n.toFixed(2)} N`;
    const runs = winder === "0" ? !now.stands : now.winder === "run";
    at("go").textContent = now.winder === "broke" ? "Wire spliced: continue" : runs ? "Stop" : "Run";
    at("go").classList.toggle("running", runs);
    trouble(now.winder === "broke" ? `The wire broke at turn ${spaced(now.turns)}. Splice it, log “wire broke, spliced”, and continue.` : now.trouble);
    // The winder was told how far to run; that it stands at a stop is noted, and one that ran on is stopped.
    const reached = stops.filter((stop) => stop <= now.turns && stop > stopped).pop();
    if (reached && winder !== "0") {
      const fresh = ran || runs;
      stopped = reached;
      if (runs && now.turns > reached) await command({ do: "stop" });
      if (fresh) note("stop", now.turns, reached === planned ? "end of the coil" : `stop at ${spaced(reached)}: check the guides`);
    }
    ran = runs;
    if (now.turns >= 10 && Math.abs(now.turns - drawn) >= 120) {
      drawn = now.turns;
      const answer = await fetch(`/runs/${run}/section?turns=${now.turns}`);
      if (answer.ok) at("section").innerHTML = await answer.text();
    }
  }

  // The browser connects again by itself; what waits is sent when it is back.
  const source = new EventSource(`/runs/${run}/live?winder=${winder}`);
  source.addEventListener("message", (event) => show(JSON.parse(event.data)));
  source.addEventListener("open", send);
  source.addEventListener("error", () => trouble("No connection to the server. The winder’s own counter goes on; this page reconnects by itself."));
  keep(queue());
  send();
  setInterval(send, 3000);
})();
