// A chosen file goes into its text field; nothing is sent before the button is pressed. A file that is not UTF-8 is not guessed at:
// the person says in which encoding it was written, and sees what comes of it.
import { component } from "./component.js";
import { as } from "./elements.js";
import { asUtf8, decoded } from "./encoding.js";

export const textFile = component(() => ({
  /** Of a file whose encoding is asked for. */
  bytes: /** @type {ArrayBuffer | null} */ (null),
  encoding: "",

  /** @param {Event} event */
  async take(event) {
    const file = as(event.target, HTMLInputElement).files?.[0];
    const bytes = file ? await file.arrayBuffer() : null;
    if (!bytes) return;
    const utf8 = asUtf8(bytes);
    this.bytes = utf8 === null ? bytes : null;
    this.encoding = "";
    this.put(utf8 ?? "");
    await this.$nextTick();
    if (utf8 === null) this.$refs.encoding.focus();
  },
  decode() {
    if (this.bytes) this.put(this.encoding === "" ? "" : decoded(this.bytes, this.encoding));
  },
  /** @param {string} text */
  put(text) {
    as(this.$refs.text, HTMLTextAreaElement).value = text;
  },
}));
