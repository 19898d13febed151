import { z } from 'zod';
import { problemSchema } from '../problems';
import { valueSchema, type Value } from '../values/types';

/** At most so many choices a page. */
export const pageSize = 50;

/** One offered choice: what is stored, and what is shown of it, column by column. */
export const choiceSchema = z.object({ value: valueSchema, shown: z.array(valueSchema) });
export type Choice = z.infer<typeof choiceSchema>;

/** Why a list is empty: for each condition, how many rows there would be without it. */
export const emptyReasonSchema = z.object({
  /** Rows of the table with no condition at all, counted up to a bound. */
  total: z.number(),
  conditions: z.array(
    z.object({
      path: z.string(),
      operator: z.string(),
      values: z.array(valueSchema),
      /** The narrowing field, where the condition comes from one. */
      field: z.string().nullable(),
      /** Rows offered if this condition were left out. */
      without: z.number(),
    }),
  ),
  /** Rows offered without the search text, where there was one. */
  withoutSearch: z.number().nullable(),
});
export type EmptyReason = z.infer<typeof emptyReasonSchema>;

/** What a screen asks for: a page of a field's choices under the entry's values. */
export const askSchema = z.strictObject({
  id: z.string().min(1).max(4000),
  field: z.string().max(48),
  search: z.string().max(200).optional(),
  after: z.string().max(4000).optional(),
  limit: z.number().int().min(1).max(pageSize).optional(),
});
export type Ask = z.infer<typeof askSchema>;

/** What an entry needs to know by itself: the choices under `given`, and whether `current` is among them. */
export interface StandingAsk {
  id: string;
  field: string;
  given: Readonly<Record<string, Value>>;
  current: Value;
}

export const answerSchema = z.union([
  z.object({ id: z.string(), failed: problemSchema }),
  z.object({
    id: z.string(),
    choices: z.array(choiceSchema),
    /** Continues the list; `null` at its end. */
    next: z.string().nullable(),
    /** How many there are, counted up to a bound; then `more` is true. */
    found: z.number(),
    more: z.boolean().default(false),
    /** The current value as a choice, if it is offered. */
    current: choiceSchema.nullable(),
    /** The current value as it is shown, where it exists but is not offered. */
    known: choiceSchema.nullable().optional(),
    empty: emptyReasonSchema.optional(),
    /** Milliseconds the read took. */
    took: z.number().optional(),
  }),
]);
export type Answer = z.infer<typeof answerSchema>;
export type Offer = Exclude<Answer, { failed: unknown }>;

/** Names a standing ask by all that its answer depends on, so that an old answer is known as such. */
export function standingAskId(
  field: string,
  given: Readonly<Record<string, Value>>,
  current: Value,
): string {
  return `${field}:${JSON.stringify([given, current])}`;
}
