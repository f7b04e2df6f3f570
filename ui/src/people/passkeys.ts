import { api } from "../api/client";

/** Whether this page can have passkeys: they are for names, and not for addresses. */
export const passkeys =
  typeof PublicKeyCredential !== "undefined" &&
  typeof PublicKeyCredential.parseRequestOptionsFromJSON === "function" &&
  !/^[\d.]+$|^\[/.test(location.hostname);

/** What a browser that was left, or asked in vain, says is for people. */
function plainly(e: unknown): never {
  if (e instanceof DOMException) {
    if (e.name === "InvalidStateError") throw new Error("This device has a passkey of yours already.", { cause: e });
    throw new Error("The browser gave no passkey.", { cause: e });
  }
  throw e;
}

/** Makes a passkey on this device, and keeps what is public of it. */
export async function make(name: string, password: string) {
  const asked = await api.passkeyNew(password);
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(asked.options as PublicKeyCredentialCreationOptionsJSON);
  const made = await navigator.credentials.create({ publicKey }).catch(plainly);
  return api.passkeyKeep(asked.ceremony, name, (made as PublicKeyCredential).toJSON());
}

/** Signs in with a passkey of this device. */
export async function present() {
  const asked = await api.passkeyAsk();
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(asked.options as PublicKeyCredentialRequestOptionsJSON);
  const shown = await navigator.credentials.get({ publicKey }).catch(plainly);
  return api.passkeyEnter(asked.ceremony, (shown as PublicKeyCredential).toJSON());
}
