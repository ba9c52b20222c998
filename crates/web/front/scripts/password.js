// Shows how strong a new password is while it is typed. The server weighs it: what counts when the form is sent is shown here.
import { component } from "./component.js";
import { as } from "./elements.js";

/** How strong each score is, in words. */
export const WORDS = ["very weak", "weak", "weak", "good", "strong"];

/**
 * What is shown for an answer.
 * @param {{score: number, problem: string}} answer
 * @returns {string}
 */
export function advice(answer) {
  return answer.problem === "" ? `Strength: ${WORDS[answer.score] ?? ""}.` : answer.problem;
}

/** How long the next key is waited for, ms. */
const PAUSE_MS = 250;

/** A field for a new password with its meter. */
export const newPassword = component(() => ({
  typed: "",
  score: 0,
  advice: "",
  asked: 0,

  async weigh() {
    const turn = ++this.asked;
    await new Promise((next) => setTimeout(next, PAUSE_MS));
    if (turn !== this.asked) return;
    const sent = new FormData(as(this.$root.closest("form"), HTMLFormElement));
    const body = new URLSearchParams({ password: this.typed });
    for (const name of ["csrf", "workshop", "name", "sign_in"]) {
      const value = sent.get(name);
      if (typeof value === "string") body.set(name, value);
    }
    try {
      const answer = await fetch("/password-strength", { method: "POST", body });
      // A slower answer to an earlier letter is late.
      if (turn !== this.asked || !answer.ok) return;
      const found = /** @type {{score: number, problem: string}} */ (await answer.json());
      this.score = found.problem === "" ? found.score : Math.min(found.score, 2);
      this.advice = this.typed === "" ? "" : advice(found);
    } catch {
      // Nothing is said of it; the form says what counts.
    }
  },
}));
