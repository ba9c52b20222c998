// Libraries that come without types: only what is used of them.
declare module "@alpinejs/csp" {
  interface MorphOptions {
    key?(element: Element): string | null | undefined;
    updating?(from: Node, to: Node, childrenOnly: () => void, skip: () => void): void;
  }
  const Alpine: {
    data(name: string, make: (...settings: string[]) => object): void;
    store(name: string, store: object): void;
    directive(name: string, bind: (element: HTMLElement) => void): void;
    plugin(plugin: (library: object) => void): void;
    /** By the plugin of that name. */
    morph(from: Element, to: Element, options: MorphOptions): void;
    /** By the plugin of that name: a value that a storage keeps. */
    $persist<T>(value: T): { as(name: string): { using(storage: Storage): T } & T };
    start(): void;
  };
  export default Alpine;
}
declare module "@alpinejs/morph" {
  const plugin: (library: object) => void;
  export default plugin;
}
declare module "@alpinejs/persist" {
  const plugin: (library: object) => void;
  export default plugin;
}
declare module "bootstrap/js/dist/modal" {
  export default class Modal {
    static getOrCreateInstance(element: Element): Modal;
    show(): void;
    hide(): void;
  }
}
declare module "bootstrap/js/dist/dropdown";
declare module "bootstrap/js/dist/offcanvas";
