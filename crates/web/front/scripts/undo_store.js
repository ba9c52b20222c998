// Undo of the form on a page, for buttons and keys wherever they are.

/**
 * @typedef {object} UndoStore
 * @property {boolean} isFirst Whether nothing can be undone.
 * @property {boolean} isLast Whether nothing can be done again.
 * @property {() => void} undo
 * @property {() => void} redo
 */

/** @returns {UndoStore} */
export const undoStore = () => ({ isFirst: true, isLast: true, undo: () => {}, redo: () => {} });
