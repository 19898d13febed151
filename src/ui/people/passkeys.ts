import {
  browserSupportsWebAuthn,
  startAuthentication,
  startRegistration,
  type PublicKeyCredentialCreationOptionsJSON,
  type PublicKeyCredentialRequestOptionsJSON,
} from '@simplewebauthn/browser';
import { z } from 'zod';

/** What the server gives a browser to make, or to use, a passkey: as WebAuthn has it. */
export const optionsAnswer = z.looseObject({ challenge: z.string() });
type Options = z.infer<typeof optionsAnswer>;

/** Whether passkeys can be used here: they belong to a name, so an address of numbers has none. */
export function passkeysHere(): boolean {
  return browserSupportsWebAuthn() && !/^[\d.]+$|:/.test(location.hostname);
}

/** Has a passkey sign; `null` where the person, or the browser, does not want to. */
export async function signWith(options: Options): Promise<object | null> {
  const optionsJSON = options as unknown as PublicKeyCredentialRequestOptionsJSON;
  return startAuthentication({ optionsJSON }).catch(() => null);
}

/** Has a passkey made; `null` where the person, or the browser, does not want to. */
export async function makePasskey(options: Options): Promise<object | null> {
  const optionsJSON = options as unknown as PublicKeyCredentialCreationOptionsJSON;
  return startRegistration({ optionsJSON }).catch(() => null);
}
