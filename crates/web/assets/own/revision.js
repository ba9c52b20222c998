// A saved revision: its drawings are chosen by address, so that a link shows the same.
"use strict";
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-view]");
  if (!button) return;
  const address = new URL(location.href);
  address.searchParams.set("view", button.dataset.view);
  location.assign(address);
});
