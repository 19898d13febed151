/** What is kept of what people do beside their work. */
export const eventKinds = [
  'signed_in',
  'sign_in_refused',
  'signed_out',
  'refused',
  'account_made',
  'account_changed',
  'account_removed',
  'password_set',
  'code_set',
  'passkey_set',
  'session_ended',
  'role_made',
  'role_changed',
  'role_removed',
  'looked_as',
  'token_made',
  'token_ended',
  'invited',
  'invitation_ended',
  'taken_out',
] as const;
export type EventKind = (typeof eventKinds)[number];

/** One thing that was noted. */
export interface AccessEvent {
  id: number;
  at: string;
  kind: EventKind;
  person: string;
  /** Whom or what it is about, in words; never a secret. */
  about: string;
  address: string;
}
