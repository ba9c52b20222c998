// Elements by name and kind, so that a template that changed is told at the first use.

/**
 * The element of an id.
 * @template {HTMLElement} T
 * @param {string} id
 * @param {new () => T} kind
 * @returns {T}
 * @throws {TypeError} when there is none of this kind.
 */
export function byId(id, kind) {
  const found = document.getElementById(id);
  if (!(found instanceof kind)) throw new TypeError(`no ${kind.name} with the id ${id}`);
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
 * Elements of a page.
 * @param {ParentNode} root
 * @param {string} selector
 * @returns {HTMLElement[]}
 */
export const all = (root, selector) =>
  [...root.querySelectorAll(selector)].filter((found) => found instanceof HTMLElement);

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
