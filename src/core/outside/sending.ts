import { placesIn } from './template';

/** How something is told outside: by a method of HTTP, or by a statement. */
export const sendMethods = ['POST', 'PUT', 'PATCH', 'SQL'] as const;
export type SendMethod = (typeof sendMethods)[number];

/** The names in an address or a statement that want a value; `{once}` of a statement has one by itself. */
export function toldNames({ method, address }: { method: SendMethod; address: string }): string[] {
  return placesIn(address).filter((name) => method !== 'SQL' || name !== 'once');
}

/** The lane of the outbox for e-mail; no system can have this key. */
export const mailLane = '@mail';

/** Something that has to be told to an outside system, as people see it. */
export interface Sending {
  id: number;
  form: string;
  connection: string;
  method: SendMethod | 'MAIL';
  /** An address of e-mail; below the base of the connection, or the statement. */
  address: string;
  body: unknown;
  state: 'waiting' | 'sent' | 'failed' | 'dropped';
  tries: number;
  nextAt: string;
  reason: string | null;
  by: string;
  madeAt: string;
}

/** How a connection was reached once. */
export interface AskedOnce {
  at: string;
  /** The query that was asked; `null` where something was told, or only tried. */
  query: string | null;
  /** Milliseconds. */
  took: number;
  /** Why it failed; `null` where it answered. */
  failed: string | null;
}
