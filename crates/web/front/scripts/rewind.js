// A rewind while its sheet is filled in: what it can be with every reading, and a curve that is fitted.
import { component } from "./component.js";
import { around, as, bodyOf, bringUp, markErrors } from "./elements.js";
import { liveForm } from "./live_form.js";
import { merge } from "./merge.js";

const SHEET = {
  url: "/rewinds/preview",
  shapers: "[name=kind], [name=strings], [name=pitch]",
  apart: ["csrf", "key", "version", "rewind"],
  pauseMs: 120,
};

export const rewind = component(() => ({
  ...liveForm(SHEET),
  curveStatus: "",

  /** @param {Event} event */
  clicked(event) {
    const chosen = around(event, "[data-step], [data-focus], [data-take]")?.dataset;
    if (chosen?.step) void this.ask(chosen.step);
    else if (chosen?.focus) {
      event.preventDefault();
      this.goTo(chosen.focus);
    } else if (chosen?.take) {
      const field = this.control(chosen.take);
      field.value = chosen.value ?? "";
      bringUp(field);
      if (this.history.step(this.read())) this.changedTo();
    }
  },
  async fit() {
    const curve = as(this.$refs.curve, HTMLFormElement);
    this.curveStatus = "Fitting";
    try {
      const body = bodyOf(this.form(), curve);
      const answer = await fetch("/rewinds/curve", { method: "POST", body, signal: AbortSignal.timeout(20_000) });
      if (!answer.ok) throw new Error("no fit");
      /** @type {{ errors: Record<string, string>, part: string }} */
      const { errors, part } = await answer.json();
      markErrors(curve, errors);
      this.curveStatus = "";
      merge(this.$refs.fitted, part);
    } catch {
      this.curveStatus = "No connection; nothing is lost.";
    }
  },
}));
