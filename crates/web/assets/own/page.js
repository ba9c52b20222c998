// Small things on every page: local times, and drafts that are done with once their form went through.
import { removeDrafts } from "./drafts.js";
import { around } from "./elements.js";
import "./picker.js";
import { localMoment } from "./text.js";

for (const time of document.querySelectorAll("time[datetime]")) {
  if (!(time instanceof HTMLTimeElement)) continue;
  const at = new Date(time.dateTime);
  if (!Number.isNaN(at.getTime())) {
    time.textContent = localMoment(at);
  }
}
const sent = sessionStorage.getItem("sent-draft");
if (sent) {
  // A form that was refused comes back marked; then the draft is still wanted.
  if (!document.querySelector("[data-refused]") && !document.querySelector(".bare")) {
    localStorage.removeItem(sent);
  }
  sessionStorage.removeItem("sent-draft");
}
document.addEventListener("click", (event) => {
  if (around(event, "[data-print]")) print();
});
document.addEventListener("submit", (event) => {
  const own = around(event, "[data-sign-out]")?.dataset.signOut;
  if (own) removeDrafts(localStorage, own);
});
