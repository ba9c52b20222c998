// The workbench: new numbers while typing, undo, and a draft that survives the page.
"use strict";
document.addEventListener("alpine:init", () => {
  const KEPT_OUT = ["csrf", "key", "parent", "seen", "beside"];
  const STEPS = 200;

  Alpine.data("workbench", () => ({
    status: "",
    restored: false,
    cannotUndo: true,
    cannotRedo: true,

    init() {
      this.past = [];
      this.future = [];
      this.asked = 0;
      this.answered = 0;
      this.tables = 0;
      this.job = null;
      this.draft = "draft:" + this.$root.dataset.draft;
      this.server = this.read();
      this.now = this.server;
      const kept = this.$root.dataset.refused ? null : this.load();
      if (kept && JSON.stringify(kept) !== JSON.stringify(this.now)) {
        this.restored = true;
        this.put(kept);
      }
      this.arrange();
      this.sensitivity();
    },

    fields() {
      return [...this.$root.elements].filter((e) => e.name && !KEPT_OUT.includes(e.name));
    },
    /**
     * The form as it is sent.
     * @returns {URLSearchParams}
     */
    body() {
      // None of the fields holds a file, so every value is text.
      return new URLSearchParams(/** @type {any} */ (new FormData(this.$root)));
    },
    read() {
      return Object.fromEntries(this.fields().map((e) => [e.name, e.value]));
    },
    write(values) {
      for (const e of this.fields()) {
        if (e.name in values) e.value = values[e.name];
      }
    },
    // Restores a saved state: where it has other parts than the sheet shows, with its own fields.
    async put(values) {
      const other = values.document !== this.$root.elements.document.value || values.poles_each !== this.$root.elements.poles_each.value;
      this.write(values);
      if (other) await this.ask("show", values);
      this.write(values);
      this.take(this.read());
    },
    load() {
      try {
        return JSON.parse(localStorage.getItem(this.draft));
      } catch {
        return null;
      }
    },

    changed(event) {
      // What the panels are filled with changes no design.
      if (event?.target.name === "search_overlay") return event.type === "change" ? this.layOver(event.target.value, true) : undefined;
      if (event?.target.name?.startsWith("search_")) return;
      const next = this.read();
      if (JSON.stringify(next) === JSON.stringify(this.now)) return;
      this.past.push(this.now);
      if (this.past.length > STEPS) this.past.shift();
      this.future = [];
      this.take(next);
    },
    undo() {
      if (!this.past.length) return;
      this.future.push(this.now);
      this.put(this.past.pop());
    },
    redo() {
      if (!this.future.length) return;
      this.past.push(this.now);
      this.put(this.future.pop());
    },
    async discard() {
      this.past.push(this.now);
      await this.put(this.server);
      localStorage.removeItem(this.draft);
      this.restored = false;
    },
    // Buttons that change the whole design, choose drawings or save one.
    clicked(event) {
      const button = event.target.closest("[data-step], [data-view], [data-goal], [data-search], [data-document], [data-overlay-off]");
      if (!button) return;
      const { elements } = this.$root;
      if (button.dataset.step) this.ask(button.dataset.step);
      else if (button.dataset.document) {
        // What the sheet holds is one step of undo; its drawings come with it.
        elements.view.value = "pickup";
        this.ask("load", { document: button.dataset.document });
      } else if (button.dataset.search) this.search(button.dataset.search);
      else if (button.dataset.goal) {
        elements.goal.value = button.dataset.goal;
        this.ask();
      }
      else if (button.dataset.overlayOff) this.layOver(button.dataset.overlayOff, false);
      else {
        this.$root.elements.view.value = button.dataset.view;
        this.ask();
      }
    },
    // Another pickup's response over this one's, or off it.
    layOver(name, on) {
      if (!name) return;
      const field = this.$root.elements.overlay;
      const laid = field.value.split(",").filter((other) => other && other !== name);
      field.value = (on ? [...laid, name] : laid).join(",");
      document.activeElement?.blur();
      this.changed();
    },
    // A search runs on the server; this shows how far it is until it is done.
    async search(what) {
      const body = this.body();
      if (what === "cancel") {
        if (this.job) await fetch(`/jobs/${this.job}/cancel`, { method: "POST", body });
        return;
      }
      const [progress, status] = ["search-progress", "search-status"].map((id) => document.getElementById(id));
      const cancel = this.$root.querySelector("[data-search=cancel]");
      const began = Date.now();
      try {
        const { job, errors } = await (await fetch("/designs/search", { method: "POST", body })).json();
        this.mark(errors);
        if (Object.keys(errors).length) {
          status.textContent = "Not started: see the marked fields.";
          return;
        }
        this.job = job;
        progress.hidden = cancel.hidden = false;
        let found = { done: false };
        while (!found.done) {
          await new Promise((done) => setTimeout(done, 250));
          found = await (await fetch(`/designs/search/${job}`)).json();
          progress.value = found.share;
          const left = ((Date.now() - began) / 1000) * (1 / Math.max(found.share, 0.01) - 1);
          status.textContent = found.share > 0.05 ? `about ${Math.ceil(left)} s left` : "searching";
        }
        status.textContent = found.results === null ? "Stopped." : "";
        const results = document.getElementById("search-results");
        if (results && found.results !== null) {
          results.innerHTML = found.results;
          results.scrollIntoView({ block: "start" });
        }
      } catch {
        status.textContent = "No connection; nothing is lost.";
      }
      progress.hidden = cancel.hidden = true;
      this.job = null;
    },
    // What each adjustment changes takes some time, so it is fetched by itself.
    async sensitivity() {
      const panel = document.querySelector("[data-sensitivity]");
      if (!panel) return;
      const mine = ++this.tables;
      const body = this.body();
      body.set("goal", panel.dataset.sensitivity);
      try {
        const answer = await fetch("/designs/sensitivity", { method: "POST", body });
        if (mine !== this.tables) return;
        if (answer.ok && !answer.redirected) panel.outerHTML = await answer.text();
        else panel.textContent = "Correct the marked fields of the sheet first.";
      } catch {
        panel.textContent = "No connection; nothing is lost.";
      }
    },
    mark(errors) {
      for (const e of this.fields()) {
        const message = errors[e.name] ?? "";
        e.classList.toggle("is-invalid", message !== "");
        const at = document.getElementById("e-" + e.name);
        if (at) at.textContent = message;
      }
    },
    // A part under the pointer lights its field, a field its part.
    lit(event) {
      for (const e of this.$root.querySelectorAll(".lit")) e.classList.remove("lit");
      const part = event.target.closest("[data-field]");
      const field = event.target.closest(".field, .grid td")?.querySelector("[name]");
      if (part?.dataset.field) {
        for (const e of this.fields()) if (e.name.endsWith(part.dataset.field)) e.classList.add("lit");
      } else if (field) {
        for (const e of this.$root.querySelectorAll("#drawings [data-field]")) {
          if (e.dataset.field && field.name.endsWith(e.dataset.field)) e.classList.add("lit");
        }
      }
    },
    take(values) {
      this.now = values;
      try {
        localStorage.setItem(this.draft, JSON.stringify(values));
      } catch {
        // A full or closed store only costs the draft.
      }
      this.arrange();
      this.ask();
    },
    keys(event) {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z") return;
      event.preventDefault();
      if (event.shiftKey) this.redo();
      else this.undo();
    },
    leaving() {
      sessionStorage.setItem("sent-draft", this.draft);
    },

    // Which way undo can go.
    arrange() {
      this.cannotUndo = !this.past.length;
      this.cannotRedo = !this.future.length;
    },

    // Asks for new numbers; an answer that is older than one shown is dropped.
    async ask(step = "", values = null) {
      const mine = ++this.asked;
      const body = this.body();
      for (const [name, value] of Object.entries(values ?? {})) body.set(name, value);
      body.set("step", step);
      const strip = document.getElementById("strip");
      try {
        const answer = await fetch("/designs/preview", { method: "POST", body });
        if (answer.redirected || !answer.ok) {
          throw new Error(answer.redirected || answer.status === 403 ? "Sign in again in another tab, then continue here." : "No figures just now.");
        }
        const found = await answer.json();
        if (mine < this.answered) return;
        this.answered = mine;
        this.show(found, strip);
      } catch (problem) {
        if (mine < this.answered) return;
        strip.classList.add("stale");
        this.status = problem instanceof TypeError ? "No connection; the draft is saved here." : problem.message;
      }
    },
    show(found, strip) {
      if (found.sheet) this.reshape(found);
      const wrong = Object.keys(found.errors);
      for (const e of this.fields()) {
        const message = found.errors[e.name] ?? "";
        // A name is asked for when the design is saved, not while it is being thought about.
        e.classList.toggle("is-invalid", message !== "");
        if (message) e.setAttribute("aria-invalid", "true");
        else e.removeAttribute("aria-invalid");
        const at = document.getElementById("e-" + e.name);
        if (at) at.textContent = message;
        this.echo(e.name, found.meant[e.name] ?? "");
      }
      strip.classList.toggle("stale", wrong.length > 0);
      if (wrong.length) {
        this.status = wrong.length === 1 ? "One field to correct" : wrong.length + " fields to correct";
        return;
      }
      this.status = "Draft saved";
      strip.innerHTML = found.strip;
      const drawings = document.getElementById("drawings");
      // Nobody's typing is taken from under the fingers: a panel that is being filled in stays.
      if (!drawings.contains(document.activeElement) || !document.activeElement.matches("input, select")) {
        drawings.innerHTML = found.drawings;
        window.filamentum.plots(drawings);
        this.sensitivity();
      }
      document.getElementById("notices").innerHTML = found.notices;
    },
    // Other parts, other fields: the sheet is shown anew, and what was typed in it so far is one step of undo.
    reshape(found) {
      const focused = document.activeElement?.id;
      document.getElementById("fields").innerHTML = found.sheet;
      if (found.document) {
        this.$root.elements.document.value = found.document;
        this.$root.elements.poles_each.value = found.one_by_one ? "yes" : "";
        this.past.push(this.now);
        this.future = [];
        this.now = this.read();
        try {
          localStorage.setItem(this.draft, JSON.stringify(this.now));
        } catch {
          // As in take().
        }
        this.arrange();
      }
      if (focused) document.getElementById(focused)?.focus();
    },
    // How a typed value was understood, beside its hint.
    echo(name, words) {
      const hint = document.getElementById("h-" + name);
      if (!hint) return;
      let span = hint.querySelector(".meant");
      if (!span && words) {
        span = document.createElement("span");
        span.className = "meant";
        hint.append(" ", span);
      }
      if (span) span.textContent = words;
    },
  }));
});
