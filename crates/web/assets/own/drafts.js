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
