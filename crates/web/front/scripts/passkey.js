// Asks the browser for a passkey and sends what it answers: to sign in, to confirm, or to create one.
import { component } from "./component.js";
import { as } from "./elements.js";

/**
 * What went wrong, in words.
 * @param {unknown} error
 * @returns {string}
 */
export function reason(error) {
  const name = error instanceof Error ? error.name : "";
  switch (name) {
    case "NotAllowedError":
      return "No passkey was used: it was cancelled, took too long, or this device has none for this address.";
    case "InvalidStateError":
      return "This device has a passkey for you already.";
    case "SecurityError":
      return "The browser makes no passkeys for this address.";
    default:
      return "The passkey could not be used. Try again, or sign in another way.";
  }
}

/**
 * Why passkeys cannot be used on this page; empty where they can.
 * @param {string} site The address that they are made for.
 * @param {string} here The address of this page.
 * @param {boolean} isKnown Whether the browser knows them.
 * @returns {string}
 */
export function obstacle(site, here, isKnown) {
  if (site !== here) return `Passkeys work at ${site} only. Open that address.`;
  return isKnown ? "" : "This browser is too old for passkeys.";
}

/**
 * What the browser is to ask for.
 * @param {HTMLFormElement} form
 * @returns {Promise<any>}
 */
async function options(form) {
  if (form.dataset.options) return JSON.parse(form.dataset.options);
  const token = new FormData(form).get("csrf");
  const body = new URLSearchParams({ csrf: typeof token === "string" ? token : "" });
  const answer = await fetch("/sign-in/passkey/begin", { method: "POST", body });
  if (!answer.ok) throw new Error("not begun");
  return answer.json();
}

/**
 * The browser's answer as text.
 * @param {HTMLFormElement} form
 * @returns {Promise<string>}
 */
async function ask(form) {
  const { publicKey } = await options(form);
  const credential =
    form.dataset.passkey === "create"
      ? await navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(publicKey) })
      : await navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(publicKey) });
  return JSON.stringify(credential);
}

/** A form that is sent once the browser has answered. */
export const passkey = component(() => ({
  error: "",
  isAsking: false,

  async send() {
    const form = as(this.$root, HTMLFormElement);
    const isKnown = "PublicKeyCredential" in window && "parseRequestOptionsFromJSON" in PublicKeyCredential;
    this.error = obstacle(form.dataset.site ?? "", location.origin, isKnown);
    if (this.error) return;
    this.isAsking = true;
    try {
      as(this.$refs.answer, HTMLInputElement).value = await ask(form);
      form.submit();
    } catch (failure) {
      this.error = reason(failure);
      this.isAsking = false;
    }
  },
}));
