// Small things on every page: printing, and drafts that are done with once their form went through.
import { component } from "./component.js";
import { removeDrafts } from "./drafts.js";
import { around } from "./elements.js";
import { localMoment } from "./text.js";

/** The page as a whole. */
export const page = component(() => ({
  init() {
    const sent = sessionStorage.getItem("sent-draft");
    if (!sent) return;
    // A form that was refused comes back marked; then the draft is still wanted.
    if (!document.querySelector("[data-refused]") && !this.$root.matches(".bare")) localStorage.removeItem(sent);
    sessionStorage.removeItem("sent-draft");
  },
  print() {
    window.print();
  },
  /** @param {string} drafts What the names of this person's drafts begin with. */
  signOut(drafts) {
    removeDrafts(localStorage, drafts);
  },
  /** @param {Event} event Of a choice that is a form by itself. */
  submitForm(event) {
    if (event.target instanceof HTMLSelectElement) event.target.form?.submit();
  },
}));

/** The places, which come out of the edge of a narrow screen: a window with a name while they are out. */
export const places = component(() => ({
  init() {
    this.$root.addEventListener("show.bs.offcanvas", () => this.$root.setAttribute("aria-label", "Places"));
    this.$root.addEventListener("hidden.bs.offcanvas", () => this.$root.removeAttribute("aria-label"));
  },
}));

/** Drawings that are chosen by address, so that a link shows the same. */
export const views = component(() => ({
  /** @param {Event} event */
  choose(event) {
    const view = around(event, "[data-view]")?.dataset.view;
    if (!view) return;
    const address = new URL(location.href);
    address.searchParams.set("view", view);
    location.assign(address);
  },
}));

/** @param {HTMLElement} time Whose text becomes the moment in local time. */
export function localTime(time) {
  const at = new Date(time.getAttribute("datetime") ?? "");
  if (!Number.isNaN(at.getTime())) time.textContent = localMoment(at);
}
