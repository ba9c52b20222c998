// A chosen file goes into its text field; nothing is sent before the button is pressed.
import { byId } from "./elements.js";

for (const chooser of document.querySelectorAll("input[type=file][data-into]")) {
  if (!(chooser instanceof HTMLInputElement)) continue;
  chooser.addEventListener("change", async () => {
    const file = chooser.files?.[0];
    if (file) byId(chooser.dataset.into ?? "", HTMLTextAreaElement).value = await file.text();
  });
}
