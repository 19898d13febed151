import { z } from 'zod';
import { keySchema } from '../values/key';
import { askedSetSchema, type AskedSet } from './asked-set';

/** A set of questions with the name under which the server keeps it. */
export const keptSetSchema = z.object({ hash: z.string(), set: askedSetSchema });
export interface KeptSet {
  hash: string;
  set: AskedSet;
}

/** The questions that a form asks now, by section. */
export const keptSetsSchema = z.record(z.string(), keptSetSchema);
export type KeptSets = Readonly<Record<string, KeptSet>>;

/** Which sets a request means, by section. */
export const askedHashesSchema = z.record(keySchema, z.string().length(43));
export type AskedHashes = z.infer<typeof askedHashesSchema>;

/** The names of sets, as a request carries them. */
export function hashesOf(sets: KeptSets): AskedHashes {
  return Object.fromEntries(Object.entries(sets).map(([section, { hash }]) => [section, hash]));
}

/** What the sets hold. */
export function setsOf(sets: KeptSets): Record<string, AskedSet> {
  return Object.fromEntries(Object.entries(sets).map(([section, { set }]) => [section, set]));
}
