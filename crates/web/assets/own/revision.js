// A saved revision: its drawings are chosen by address, so that a link shows the same.
import { around } from "./elements.js";

document.addEventListener("click", (event) => {
  const button = around(event, "[data-view]");
  if (!button) return;
  const address = new URL(location.href);
  address.searchParams.set("view", button.dataset.view ?? "");
  location.assign(address);
});
