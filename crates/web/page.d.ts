// What the pages' scripts are served with.
export {};

declare global {
  /** The library of the workbench's form. */
  const Alpine: { data(name: string, make: () => object): void };
}
