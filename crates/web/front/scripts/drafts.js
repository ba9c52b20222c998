// Drafts of forms, kept in the browser under their person's name.

/**
 * Removes a person's drafts; those of others, and what was not sent to the server yet, stay.
 * @param {Storage} storage
 * @param {string} prefix What their names begin with.
 */
export function removeDrafts(storage, prefix) {
  const names = Array.from({ length: storage.length }, (_, k) => storage.key(k) ?? "");
  for (const name of names) if (name.startsWith(prefix)) storage.removeItem(name);
}

/** How long after its last sign of life a draft belongs to nobody, ms; and how often a page gives one. */
export const [ABANDONED_MS, ALIVE_MS] = [15000, 5000];

/**
 * @typedef {Record<string, string>} Values Fields by name.
 * @typedef {{ at: number, values: Values, history?: unknown }} Draft `at` 0 is that of a page that was left.
 */

/**
 * @param {Pick<Storage, "getItem">} storage
 * @param {string} name
 * @returns {Draft | null} `null` for what is none.
 */
function draftIn(storage, name) {
  try {
    const kept = JSON.parse(storage.getItem(name) ?? "null");
    return kept && typeof kept === "object" && kept.values ? kept : null;
  } catch {
    return null;
  }
}

/** The draft of one form in one tab: two tabs of one form do not write over each other. */
export class DraftStore {
  /**
   * @param {Pick<Storage, "getItem" | "setItem" | "removeItem" | "key" | "length">} storage
   * @param {string} form The form's name.
   * @param {string} tab The tab's name; it survives a reload.
   * @param {() => number} now
   */
  constructor(storage, form, tab, now = Date.now) {
    this.storage = storage;
    this.form = form;
    this.name = `${form}#${tab}`;
    this.now = now;
    /** Whether the page was left; what it still does while it is unloaded gives no sign of life. */
    this.isLeft = false;
  }

  /** @returns {boolean} Whether a page has shown a sign of life under this name just now. */
  isAlive() {
    return this.now() - (draftIn(this.storage, this.name)?.at ?? 0) < 2 * ALIVE_MS;
  }

  /**
   * This tab's own draft; without one the newest that no open tab has, which is then this tab's.
   * @returns {Draft | null}
   */
  take() {
    const own = draftIn(this.storage, this.name);
    if (own) return own;
    const names = Array.from({ length: this.storage.length }, (_, k) => this.storage.key(k) ?? "");
    const left = names
      .filter((name) => name.startsWith(`${this.form}#`))
      .map((name) => ({ name, draft: draftIn(this.storage, name) }))
      .filter(({ draft }) => draft && this.now() - draft.at > ABANDONED_MS);
    const newest = left.sort((a, b) => (b.draft?.at ?? 0) - (a.draft?.at ?? 0))[0];
    if (!newest) return null;
    this.storage.removeItem(newest.name);
    return newest.draft;
  }

  /**
   * Keeps a state; a full or closed store only costs the draft.
   * @param {Values} values
   * @param {unknown} history
   */
  keep(values, history) {
    try {
      this.storage.setItem(this.name, JSON.stringify({ at: this.isLeft ? 0 : this.now(), values, history }));
    } catch {
      // The page goes on without.
    }
  }

  /** Says that the page is still there, or that it is not. */
  touch() {
    const own = draftIn(this.storage, this.name);
    if (own) this.storage.setItem(this.name, JSON.stringify({ ...own, at: this.isLeft ? 0 : this.now() }));
  }

  /** The page is left: its draft belongs to the next one. */
  leave() {
    this.isLeft = true;
    this.touch();
  }

  /** The page is shown again. */
  comeBack() {
    this.isLeft = false;
    this.touch();
  }

  drop() {
    this.storage.removeItem(this.name);
  }
}

/**
 * The name of this tab: kept over a reload, and another one in a tab that was opened as its copy.
 * @param {Pick<Storage, "getItem" | "setItem">} session
 * @param {boolean} isSamePage Whether the page was reloaded or gone back to.
 * @param {(tab: string) => boolean} isAlive Whether another page uses that name just now.
 */
export function tabName(session, isSamePage, isAlive) {
  const kept = session.getItem("tab");
  if (kept && (isSamePage || !isAlive(kept))) return kept;
  const name = Math.random().toString(36).slice(2, 10);
  session.setItem("tab", name);
  return name;
}
