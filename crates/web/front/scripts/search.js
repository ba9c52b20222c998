// A search that runs on the server: how far it is, what it found, and how to stop it.
import { component } from "./component.js";
import { as, bodyOf, markErrors } from "./elements.js";
import { follow } from "./job.js";
import { merge } from "./merge.js";

const NO_CONNECTION = "No connection; nothing is lost.";

/**
 * @param {string} url Where it is begun, and followed by its name.
 * @param {string} form The id of the form that it searches from; fields of its own stand in another.
 */
export const search = component((url = "", form = "") => ({
  /** The name of what runs. */
  job: "",
  share: 0,
  status: "",

  percent() {
    return Math.round(100 * this.share);
  },
  body() {
    const forms = [document.getElementById(form), this.$root].filter((e) => e instanceof HTMLFormElement);
    return bodyOf(...forms);
  },
  async begin() {
    if (this.job) return;
    const body = this.body();
    try {
      const answer = await fetch(url, { method: "POST", body });
      /** @type {{ job: string, errors: Record<string, string> }} */
      const { job, errors } = await answer.json();
      const marked = as(document.getElementById(form), HTMLFormElement);
      for (const e of new Set([marked, this.$root])) markErrors(e, errors);
      if (Object.keys(errors).length) {
        this.status = "Not started: see the marked fields.";
        return;
      }
      [this.job, this.share] = [job, 0];
      const query = new URLSearchParams({ set: body.get("set") ?? "", version: body.get("version") ?? "" });
      /** @type {{ done: boolean, share: number, results: string | null }} */
      const found = await follow(`${url}/${job}?${query}`, (share, words) => {
        [this.share, this.status] = [share, words || "searching"];
      });
      this.status = found.results === null ? "Stopped." : "";
      if (found.results !== null) merge(this.$refs.results, found.results);
    } catch {
      this.status = NO_CONNECTION;
    }
    this.job = "";
  },
  async cancel() {
    if (this.job) await fetch(`/jobs/${this.job}/cancel`, { method: "POST", body: this.body() });
  },
}));
