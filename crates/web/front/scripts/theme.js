// Light or dark: as the device has it, or as somebody chose on this one.
import Alpine from "@alpinejs/csp";

/** @returns {{ choice: string, init(): void, show(): void }} */
export const themeStore = () => ({
  /** `light`, `dark`, or empty for what the device has. */
  choice: Alpine.$persist("").as("theme"),

  init() {
    this.show();
  },
  show() {
    const page = document.documentElement;
    if (this.choice) page.dataset.bsTheme = this.choice;
    else delete page.dataset.bsTheme;
  },
});
