import { z } from 'zod';
import { questionKinds } from '../plan/asked-set';
import { spreadSchema } from '../values/spread';

/** How often something was answered: in the period that is looked at, and in the one before it. */
const counted = { n: z.number(), before: z.number() };

/** What was answered to one question, as it can be drawn. */
export const countedQuestionSchema = z.object({
  code: z.string(),
  text: z.string(),
  kind: z.enum(questionKinds).nullable(),
  group: z.string(),
  unit: z.string(),
  answered: z.object(counted),
  /** By what was chosen. */
  bars: z.array(z.object({ label: z.string(), ...counted })),
  /** Numbers: half of them are between low and high. */
  spread: spreadSchema.nullable(),
  spreadBefore: spreadSchema.nullable(),
  /** Numbers by where they lie: each bin from its bound up to the next one's. */
  bins: z.array(z.object({ from: z.number(), to: z.number(), ...counted })),
  /** Days, by month (`2026-03`). */
  months: z.array(z.object({ month: z.string(), ...counted })),
  /** The newest of what was written. */
  texts: z.array(z.object({ text: z.string(), sheet: z.number(), shown: z.string() })),
});
export type CountedQuestion = z.infer<typeof countedQuestionSchema>;

/** What was answered to the questions of a section. */
export const countedAnswersSchema = z.object({
  sheets: z.object(counted),
  questions: z.array(countedQuestionSchema),
});
export type CountedAnswers = z.infer<typeof countedAnswersSchema>;

/** Which sheets are looked at. */
export const countedQuery = z.object({
  /** The section that asks; the first one where none is said. */
  section: z.string().max(48).optional(),
  /** Days, both included. */
  from: z.iso.date().optional(),
  to: z.iso.date().optional(),
  /** With what they are compared: the period before, of the same length, or the same a year before. */
  compare: z.enum(['none', 'before', 'year']).default('none'),
});
export type CountedQuery = z.infer<typeof countedQuery>;
