// A chosen file goes into its text field; nothing is sent before the button is pressed.
"use strict";
for (const chooser of document.querySelectorAll("input[type=file][data-into]")) {
  chooser.addEventListener("change", async () => {
    const [file] = chooser.files;
    if (file) document.getElementById(chooser.dataset.into).value = await file.text();
  });
}
