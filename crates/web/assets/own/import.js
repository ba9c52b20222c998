// A chosen file goes into its text field; nothing is sent before the button is pressed. A file that is not UTF-8 is not guessed at:
// the person says in which encoding it was written, and sees what comes of it.
import { byId } from "./elements.js";
import { asUtf8, decoded } from "./encoding.js";

for (const chooser of document.querySelectorAll("input[type=file][data-into]")) {
  if (!(chooser instanceof HTMLInputElement)) continue;
  const text = byId(chooser.dataset.into ?? "", HTMLTextAreaElement);
  const question = byId("encoding-question", HTMLElement);
  const encoding = byId("encoding", HTMLSelectElement);
  /** @type {ArrayBuffer | null} */
  let bytes = null;
  const show = () => {
    if (bytes) text.value = encoding.value === "" ? "" : decoded(bytes, encoding.value);
  };
  chooser.addEventListener("change", async () => {
    const file = chooser.files?.[0];
    bytes = file ? await file.arrayBuffer() : null;
    if (!bytes) return;
    const utf8 = asUtf8(bytes);
    question.hidden = utf8 !== null;
    encoding.value = "";
    text.value = utf8 ?? "";
    if (utf8 === null) encoding.focus();
  });
  encoding.addEventListener("change", show);
}
