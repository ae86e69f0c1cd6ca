// Passkeys: what the service asks is handed to the browser's own interface (WebAuthn), and its answer back.

import { api, ask } from "./api";

type Options = { [key: string]: unknown };

// supported reports whether this browser, at this address, has passkeys. They belong to a name, never to a network address.
export function supported(): boolean {
  return typeof PublicKeyCredential !== "undefined" && "parseCreationOptionsFromJSON" in PublicKeyCredential && !byNumber();
}

// byNumber reports whether the console was opened by a network address.
export function byNumber(): boolean {
  return /^[\d.]+$|^\[/.test(location.hostname);
}

export async function create(options: Options): Promise<Options> {
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(options.publicKey as PublicKeyCredentialCreationOptionsJSON);
  return answer(await navigator.credentials.create({ publicKey }));
}

export async function get(options: Options): Promise<Options> {
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(options.publicKey as PublicKeyCredentialRequestOptionsJSON);
  return answer(await navigator.credentials.get({ publicKey }));
}

// prove shows the service one of one's passkeys, as a fresh proof of who one is.
export async function prove(): Promise<void> {
  const ceremony = await ask(api.POST("/session/passkey/options"));
  await ask(api.POST("/session/proof", { body: { passkey: { token: ceremony.token, answer: await get(ceremony.options) } } }));
}

// wasLeft reports whether something failed because its owner closed the browser's own dialog: they have changed their mind.
export function wasLeft(caught: unknown): boolean {
  return caught instanceof DOMException && caught.name === "NotAllowedError";
}

function answer(credential: Credential | null): Options {
  if (!(credential instanceof PublicKeyCredential)) throw new Error("the browser gave no passkey");
  return credential.toJSON();
}
