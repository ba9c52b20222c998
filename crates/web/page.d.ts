// What the scripts rely on of the pages that they are served with: elements that are looked up by a name of ours are of the
// kind that the template gives them, so that the checks do not ask for a cast at every lookup.
export {};

declare global {
  /** The library of the workbench's form. */
  const Alpine: { data(name: string, make: () => object & ThisType<any>): void };

  interface Window {
    /** Draws the plots inside an element. */
    filamentum: { plots(root: ParentNode): void };
  }

  interface EventTarget {
    closest(selector: string): any;
    textContent: string;
    form: HTMLFormElement;
  }

  interface Element {
    value: any;
    hidden: boolean;
    dateTime: string;
    files: FileList;
    dataset: DOMStringMap;
    blur(): void;
  }

  interface HTMLElement {
    value: any;
  }
}
