// What components of the pages have on `this`, and the stores that they share.
export {};

declare global {
  interface Magics {
    /** The element that the component stands on. */
    readonly $root: HTMLElement;
    /** The element of the expression. */
    readonly $el: HTMLElement;
    readonly $refs: Record<string, HTMLElement>;
    readonly $store: Stores;
    $dispatch(name: string, detail?: unknown): void;
    $nextTick(): Promise<void>;
  }
  interface Window {
    Alpine: object;
  }
  interface Stores {
    undo: import("./scripts/undo_store.js").UndoStore;
    timers: import("./scripts/timers.js").TimerStore;
  }
}
