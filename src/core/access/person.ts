import { z } from 'zod';
import { keySchema } from '../values/key';

/** States of an account: asked to join, able to sign in, kept out. */
export const accountStates = ['invited', 'active', 'locked'] as const;

/** The record that an account stands for: “this account is the ensemble …”. */
export const personLinkSchema = z.object({
  table: keySchema,
  record: z.number().int().min(1),
});
export type PersonLink = z.infer<typeof personLinkSchema>;

/** Names with which people sign in: letters, digits and a few signs, no blanks. */
export const signInName = z
  .string()
  .trim()
  .min(2)
  .max(60)
  .regex(/^[\p{L}\p{N}][\p{L}\p{N}._@+-]*$/u, 'letters and digits, without blanks');

/** What a keeper can say of an account. */
export const accountSchema = z.strictObject({
  name: signInName,
  shown: z.string().trim().min(1).max(100),
  email: z.union([z.literal(''), z.email().max(200)]).default(''),
  roles: z.array(keySchema).max(20),
  link: personLinkSchema.nullable().default(null),
});
export type AccountWish = z.infer<typeof accountSchema>;

/** Who does something: a person who is signed in, or a program with a person's token. */
export interface Person {
  /** The account. */
  id: number;
  /** The sign-in name; drafts are kept under it. */
  name: string;
  /** How others know them; written into the journal. */
  shown: string;
  email: string;
  roles: readonly string[];
  link: PersonLink | null;
}
