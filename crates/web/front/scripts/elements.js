// Elements by what they are, and small acts on them.

/** @typedef {HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement} Control */

/** @param {unknown} found @returns {found is Control} */
export const isControl = (found) =>
  found instanceof HTMLInputElement || found instanceof HTMLSelectElement || found instanceof HTMLTextAreaElement;

/**
 * An element that a template promises.
 * @template {HTMLElement} T
 * @param {unknown} found
 * @param {new () => T} kind
 * @returns {T}
 * @throws {TypeError} when it is of another kind.
 */
export function as(found, kind) {
  if (!(found instanceof kind)) throw new TypeError(`no ${kind.name}`);
  return found;
}

/**
 * The element that matches, at the event's target or around it.
 * @param {Event} event
 * @param {string} selector
 * @returns {HTMLElement | null}
 */
export function around(event, selector) {
  const found = event.target instanceof Element ? event.target.closest(selector) : null;
  return found instanceof HTMLElement ? found : null;
}

/**
 * Forms as one body; none of their fields holds a file.
 * @param {...HTMLFormElement} forms
 * @returns {URLSearchParams}
 */
export function bodyOf(...forms) {
  const body = new URLSearchParams();
  for (const form of forms) {
    for (const [name, value] of new FormData(form)) body.append(name, String(value));
  }
  return body;
}

/**
 * Shows messages at the fields inside an element, and removes those of before.
 * @param {ParentNode} root
 * @param {Record<string, string>} errors By field.
 */
export function markErrors(root, errors) {
  for (const field of root.querySelectorAll("input, select, textarea")) {
    const isWrong = Boolean(errors[field.getAttribute("name") ?? ""]);
    field.classList.toggle("is-invalid", isWrong);
    if (isWrong) field.setAttribute("aria-invalid", "true");
    else field.removeAttribute("aria-invalid");
  }
  for (const message of root.querySelectorAll(".error[id^='e-']")) message.textContent = errors[message.id.slice(2)] ?? "";
}

/**
 * Opens what a field is folded into, and goes to it.
 * @param {unknown} field
 */
export function bringUp(field) {
  if (!(field instanceof HTMLElement)) return;
  field.closest("details")?.setAttribute("open", "");
  field.scrollIntoView({ block: "center" });
  field.focus({ preventScroll: true });
}

/**
 * A button that is pressed or not.
 * @param {string} label
 * @param {() => void} act
 */
export function toggle(label, act) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "btn btn-sm btn-view";
  button.textContent = label;
  button.addEventListener("click", act);
  return button;
}

/**
 * Hands bytes over as a file.
 * @param {Blob} blob
 * @param {string} name
 */
export function download(blob, name) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
