import { z } from 'zod';
import { problemSchema } from '../problems';
import { valueSchema, type Value } from '../values/types';

/** At most so many asks are sent at once; more go in pieces. */
export const mostAsks = 2000;

/** Why a list is empty is counted up to so many; that many may be more. */
export const reasonBound = 1000;

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

/**
 * What an entry needs to know, named for what is given: the list of a field, the columns of its chosen
 * record, its value (an aggregate, or one from outside), or the record that a typed key names.
 */
export const askKinds = ['list', 'record', 'value', 'key'] as const;
export type AskKind = (typeof askKinds)[number];

/** What a screen asks for, under the entry's values: what follows from them, or a page of a list. */
export const askSchema = z.strictObject({
  id: z.string().min(1).max(4000),
  kind: z.enum(askKinds).default('list'),
  field: z.string().max(48),
  /** For a field of a grid: the grid, and the key of the row. */
  grid: z.string().max(48).optional(),
  row: z.string().max(64).optional(),
  /** The values under which it is asked, as the narrowings name them; otherwise those of the state. */
  given: z.record(z.string().max(200), valueSchema).optional(),
  /** The value to be confirmed, the record to be read, or the key that was typed. */
  current: valueSchema.optional(),
  /** The field whose change led to it. */
  cause: z.string().max(100).nullable().optional(),
  search: z.string().max(200).optional(),
  after: z.string().max(4000).optional(),
  limit: z.number().int().min(1).max(pageSize).optional(),
  /** Whether all that a search finds is counted, however long that takes. */
  whole: z.boolean().optional(),
  /** Another order than the designed one: by one of the shown columns. */
  order: z
    .strictObject({ column: z.number().int().min(0).max(7), descending: z.boolean() })
    .optional(),
});
export type Ask = z.input<typeof askSchema>;

/** What an entry needs to know by itself, with all that the answer depends on. */
export interface StandingAsk {
  id: string;
  kind: AskKind;
  field: string;
  /** The grid of the field; `''` for the form itself. */
  grid: string;
  row: string | null;
  /** Values of the narrowing fields, as the narrowings name them. */
  given: Readonly<Record<string, Value>>;
  /** The value to be confirmed, the record to be read, or the key that was typed. */
  current: Value;
  /** The field whose change led to it; `null` while the entry begins. */
  cause: string | null;
}

const failedSchema = z.object({ id: z.string(), failed: problemSchema });

/** How far a search has come: after so many rows, of about so many; `null` where nobody knows. */
export const lookedSchema = z.object({ rows: z.number(), of: z.number().nullable() });
export type LookedThrough = z.infer<typeof lookedSchema>;

const offerSchema = z.object({
  id: z.string(),
  choices: z.array(choiceSchema),
  /** Continues the list; `null` at its end. */
  next: z.string().nullable(),
  /** How many there are, counted up to a bound; then `more` is true. */
  found: z.number(),
  more: z.boolean().default(false),
  /** Where a search has stopped before the table's end, to tell what it has found: `next` goes on with it. */
  looked: lookedSchema.nullable().optional(),
  /** The current value as a choice, if it is offered. */
  current: choiceSchema.nullable(),
  /** The current value as it is shown, where it exists but is not offered. */
  known: choiceSchema.nullable().optional(),
  /** Of several current values: those that are offered, and those that exist but are not. */
  chosen: z.array(choiceSchema).optional(),
  others: z.array(choiceSchema).optional(),
  empty: emptyReasonSchema.optional(),
  /** Milliseconds the read took. */
  took: z.number().optional(),
  /** When an outside system gave it, in UTC. */
  at: z.string().optional(),
});
export type Offer = z.infer<typeof offerSchema>;

/** The columns of a record by path; `null` where the record is gone. */
const recordSchema = z.object({
  id: z.string(),
  record: z.record(z.string(), valueSchema).nullable(),
  took: z.number().optional(),
  /** When an outside system gave them, in UTC. */
  at: z.string().optional(),
});

const valueAnswerSchema = z.object({
  id: z.string(),
  /** The value in canonical form of its type. */
  value: valueSchema,
  took: z.number().optional(),
  /** When an outside system gave it, in UTC. */
  at: z.string().optional(),
});

/** The record that a typed key names, as a choice; `null` where there is none. */
const namedSchema = z.object({
  id: z.string(),
  named: choiceSchema.nullable(),
  took: z.number().optional(),
});

export const answerSchema = z.union([
  failedSchema,
  recordSchema,
  valueAnswerSchema,
  namedSchema,
  offerSchema,
]);
export type Answer = z.infer<typeof answerSchema>;
