// Passkeys as browsers have them (WebAuthn, Level 3): options and answers as JSON.

/** Makes a passkey; what comes back goes to the service as it is. */
export async function makePasskey(options: Record<string, unknown>): Promise<unknown> {
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(options as unknown as PublicKeyCredentialCreationOptionsJSON);
  const made = (await navigator.credentials.create({ publicKey })) as PublicKeyCredential | null;
  return made?.toJSON();
}

/** Proves a passkey. */
export async function provePasskey(options: Record<string, unknown>): Promise<unknown> {
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(options as unknown as PublicKeyCredentialRequestOptionsJSON);
  const proved = (await navigator.credentials.get({ publicKey })) as PublicKeyCredential | null;
  return proved?.toJSON();
}

export const canPasskey = (): boolean => typeof PublicKeyCredential !== 'undefined' && window.isSecureContext;
