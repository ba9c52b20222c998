// Merges markup from the server into the page: elements stay, so that focus, caret, scroll and what is open stay with them.
import Alpine from "@alpinejs/csp";
import morph from "@alpinejs/morph";
import { isControl } from "./elements.js";

Alpine.plugin(morph);

/** What is replaced as a whole, and what tells that it is another: drawings, and what a script draws from its data. */
const DRAWN = "svg, [data-plot], [data-map]";

/**
 * @param {Element} from
 * @param {Element} to
 */
function isSameDrawing(from, to) {
  if (from instanceof SVGElement) return from.isEqualNode(to);
  const [a, b] = [from, to].map((e) => e.getAttribute("data-plot") ?? e.getAttribute("data-map"));
  return a === b;
}

/**
 * Merges markup into an element.
 * @param {HTMLElement} into
 * @param {string} markup Its content from now on.
 * @param {(name: string) => boolean} isNewer Whether a field was changed after the markup was asked for: it keeps its value.
 */
export function merge(into, markup, isNewer = () => false) {
  const next = /** @type {HTMLElement} */ (into.cloneNode(false));
  next.innerHTML = markup;
  const focused = document.activeElement?.id;
  /** @type {[Element, Element][]} */
  const controls = [];
  Alpine.morph(into, next, {
    key: (element) => element.id || element.getAttribute("data-key"),
    updating(from, to, _childrenOnly, skip) {
      if (!(from instanceof Element) || !(to instanceof Element) || from === into) return;
      // Most of an answer is as before; a field may be typed over, so that what holds one is looked through.
      if (!isControl(from) && from.isEqualNode(to) && !from.querySelector("input, select, textarea")) {
        skip();
        return;
      }
      if (from.matches(DRAWN) && to.matches(DRAWN)) {
        if (!isSameDrawing(from, to)) from.replaceWith(to.cloneNode(true));
        skip();
      } else if (from instanceof HTMLElement && from.matches("[data-fetched], [data-kept]")) {
        // A component fills it by itself, and keeps what it shows until then.
        for (const name of to.getAttributeNames()) from.setAttribute(name, to.getAttribute(name) ?? "");
        skip();
      } else if (from instanceof HTMLDetailsElement && !to.querySelector(".is-invalid")) {
        to.toggleAttribute("open", from.open);
      }
      if (isControl(from)) controls.push([from, to]);
    },
  });
  for (const [from, to] of controls) {
    if (!isControl(from) || !isControl(to) || isNewer(from.name)) continue;
    if (from instanceof HTMLInputElement && to instanceof HTMLInputElement) from.checked = to.checked;
    if (from.value !== to.value) from.value = to.value;
  }
  if (focused && document.activeElement?.id !== focused) document.getElementById(focused)?.focus();
}
