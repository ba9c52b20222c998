// Long pick-lists are searched: a field above the list keeps only the entries that hold all words typed.

/** Lists with fewer entries are looked through faster than searched. */
const LONG = 20;

/**
 * Whether an entry holds every word, in any order and whatever their case.
 * @param {string} entry
 * @param {string} words
 */
export function holds(entry, words) {
  const text = entry.toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/**
 * Gives a long list its search field.
 * @param {HTMLSelectElement} list
 */
function makeSearchable(list) {
  list.dataset.searchable = "";
  const all = [...list.options];
  const field = document.createElement("input");
  const label = list.labels[0]?.textContent?.trim() ?? list.getAttribute("aria-label") ?? "";
  field.type = "search";
  field.className = "form-control pick-search";
  field.autocomplete = "off";
  field.placeholder = `Search ${all.length} entries`;
  field.setAttribute("aria-label", `Search the list: ${label}`);
  list.before(field);
  const narrow = () => {
    const chosen = list.value;
    const found = all.filter((entry) => entry.value === chosen || entry.value === "" || holds(entry.text, field.value));
    list.replaceChildren(...found);
    list.value = chosen;
    // One entry that fits is what is meant.
    const fitting = field.value.trim() ? found.filter((entry) => entry.value !== "" && holds(entry.text, field.value)) : [];
    const only = fitting.length === 1 ? fitting[0] : undefined;
    if (only && only.value !== chosen) {
      list.value = only.value;
      list.dispatchEvent(new Event("change", { bubbles: true }));
    }
  };
  // What is searched for is no entry of the form.
  field.addEventListener("change", (event) => event.stopPropagation());
  field.addEventListener("input", (event) => {
    event.stopPropagation();
    narrow();
  });
  field.addEventListener("keydown", (event) => {
    if (event.key === "Enter") event.preventDefault();
    if (event.key === "ArrowDown") list.focus();
  });
}

/** Every long list of the page that has no search field yet. */
function refresh() {
  for (const list of document.querySelectorAll("select:not([data-searchable])")) {
    if (list instanceof HTMLSelectElement && !list.multiple && list.options.length > LONG) makeSearchable(list);
  }
}

if (typeof document !== "undefined") {
  refresh();
  // Fields are drawn anew while a form is filled in.
  new MutationObserver(refresh).observe(document.body, { childList: true, subtree: true });
}
