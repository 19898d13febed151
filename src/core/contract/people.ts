import { z } from 'zod';
import { accountStates } from '../access/person';
import { formActs, places, roleSchema, tableActs } from '../access/role';

/** What our own server answers about people; see `answers.ts`. */

/** Who may do what, as far as a screen shows or leaves out what can be done. */
/** What may be done with many things: what may be done with most of them, and by its key with each other one. */
const deeds = <D extends string>(acts: readonly D[]) => {
  const some = z.array(z.enum(acts as [D, ...D[]]));
  return z.object({ most: some, others: z.record(z.string(), some) });
};

export const mayAnswer = z.object({
  places: z.array(z.enum(places)),
  tables: deeds(tableActs),
  forms: deeds(formActs),
});
export type May = z.infer<typeof mayAnswer>;

export const accountAnswer = z.object({
  id: z.number(),
  name: z.string(),
  shown: z.string(),
  email: z.string(),
  roles: z.array(z.string()).readonly(),
  link: z.object({ table: z.string(), record: z.number() }).nullable(),
  state: z.enum(accountStates),
  demo: z.boolean(),
  hasPassword: z.boolean(),
  hasCode: z.boolean(),
  madeAt: z.string(),
  seenAt: z.string().nullable(),
  language: z.string().nullable(),
  zone: z.string().nullable(),
});
export type AccountLine = z.infer<typeof accountAnswer>;

export const accountMade = z.object({ account: accountAnswer, link: z.string() });
export const linkMade = z.object({ link: z.string() });
export const tokenMade = z.object({ token: z.string(), id: z.string() });
export const recoveryMade = z.object({ recovery: z.array(z.string()) });
export const codeBegun = z.object({ secret: z.string(), uri: z.string(), picture: z.string() });
export const roleAnswer = roleSchema;

/** How many records of a table the people of a role would see. */
export const triedAnswer = z.object({
  total: z.number(),
  people: z.array(z.object({ shown: z.string(), records: z.number() })),
});
export type Tried = z.infer<typeof triedAnswer>;
