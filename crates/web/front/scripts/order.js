// An order while it is taken: when it could be ready, beside all that is planned.
import { component } from "./component.js";
import { as, bodyOf, markErrors } from "./elements.js";

export const order = component(() => ({
  promise: "",
  isAsking: false,

  async ask() {
    const form = as(this.$root, HTMLFormElement);
    [this.isAsking, this.promise] = [true, "Planning"];
    try {
      const body = bodyOf(form);
      const answer = await fetch("/orders/promise", { method: "POST", body, signal: AbortSignal.timeout(20_000) });
      if (!answer.ok) throw new Error("no answer");
      /** @type {{ errors: Record<string, string>, text: string }} */
      const { errors, text } = await answer.json();
      markErrors(form, errors);
      this.promise = text;
    } catch {
      this.promise = "No connection; nothing is lost.";
    }
    this.isAsking = false;
  },
}));
