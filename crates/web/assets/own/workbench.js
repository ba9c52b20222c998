// The workbench: new numbers while typing, undo, and a draft that survives the page.
"use strict";
document.addEventListener("alpine:init", () => {
  const KEPT_OUT = ["csrf", "key", "parent"];
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
      this.draft = "draft:" + this.$root.dataset.draft;
      this.server = this.read();
      this.now = this.server;
      const kept = this.$root.dataset.refused ? null : this.load();
      if (kept && JSON.stringify(kept) !== JSON.stringify(this.now)) {
        this.write(kept);
        this.now = this.read();
        this.restored = true;
        this.ask();
      }
      this.arrange();
    },

    fields() {
      return [...this.$root.elements].filter((e) => e.name && !KEPT_OUT.includes(e.name));
    },
    read() {
      return Object.fromEntries(this.fields().map((e) => [e.name, e.value]));
    },
    write(values) {
      for (const e of this.fields()) {
        if (e.name in values) e.value = values[e.name];
      }
    },
    load() {
      try {
        return JSON.parse(localStorage.getItem(this.draft));
      } catch {
        return null;
      }
    },

    changed() {
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
      this.write(this.past.pop());
      this.take(this.read());
    },
    redo() {
      if (!this.future.length) return;
      this.past.push(this.now);
      this.write(this.future.pop());
      this.take(this.read());
    },
    discard() {
      localStorage.removeItem(this.draft);
      this.past.push(this.now);
      this.write(this.server);
      this.take(this.read());
      localStorage.removeItem(this.draft);
      this.restored = false;
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

    // Shows the fields that apply, and which way undo can go.
    arrange() {
      this.cannotUndo = !this.past.length;
      this.cannotRedo = !this.future.length;
      for (const box of this.$root.querySelectorAll("[data-when]")) {
        const [, name, sign, value] = box.dataset.when.match(/^(\w+)(>?=)(.*)$/);
        const typed = this.$root.elements[name].value;
        box.hidden = sign === "=" ? typed !== value : !(Number.parseInt(typed, 10) >= Number(value));
      }
    },

    // Asks for new numbers; an answer that is older than one shown is dropped.
    async ask() {
      const mine = ++this.asked;
      const body = new URLSearchParams(new FormData(this.$root));
      const strip = document.getElementById("strip");
      try {
        const answer = await fetch("/designs/preview", { method: "POST", body });
        if (answer.redirected || !answer.ok) {
          throw new Error(answer.redirected || answer.status === 403 ? "Sign in again in another tab, then go on here." : "No numbers just now.");
        }
        const found = await answer.json();
        if (mine < this.answered) return;
        this.answered = mine;
        this.show(found, strip);
      } catch (problem) {
        if (mine < this.answered) return;
        strip.classList.add("stale");
        this.status = problem instanceof TypeError ? "No connection; the draft is kept." : problem.message;
      }
    },
    show(found, strip) {
      const wrong = Object.keys(found.errors);
      for (const e of this.fields()) {
        const message = found.errors[e.name] ?? "";
        // A name is asked for when the design is saved, not while it is being thought about.
        e.classList.toggle("is-invalid", message !== "");
        if (message) e.setAttribute("aria-invalid", "true");
        else e.removeAttribute("aria-invalid");
        document.getElementById("e-" + e.name).textContent = message;
        this.echo(e.name, found.meant[e.name] ?? "");
      }
      strip.classList.toggle("stale", wrong.length > 0);
      if (wrong.length) {
        this.status = wrong.length === 1 ? "One field to mend" : wrong.length + " fields to mend";
        return;
      }
      this.status = "Draft kept";
      strip.innerHTML = found.strip;
      document.getElementById("drawings").innerHTML = found.drawings;
      document.getElementById("notices").innerHTML = found.notices;
    },
    // How a typed value was understood, beside its hint.
    echo(name, words) {
      const hint = document.getElementById("h-" + name);
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
