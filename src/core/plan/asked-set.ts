import { z } from 'zod';
import { keySchema } from '../values/key';
import { optionSchema, valueSchema } from '../values/types';

/** How a question is answered. */
export const questionKinds = [
  'short_text',
  'long_text',
  'whole_number',
  'decimal',
  'yes_no',
  'date',
  'time',
  'one_of',
  'several_of',
  'rating',
  'record',
  'file',
] as const;
export type QuestionKind = (typeof questionKinds)[number];

/** A number as FEEL and decimals write it. */
const numberSchema = z.string().regex(/^-?\d+(\.\d+)?$/);

/** A question as it is asked: all that is needed to ask it again, word for word, when its row is long gone. */
export const askedQuestionSchema = z.strictObject({
  /** The row that said it. */
  id: z.number().int(),
  code: keySchema,
  text: z.string(),
  kind: z.enum(questionKinds),
  required: z.boolean(),
  help: z.string(),
  /** The heading under which it stands; `''` goes on under none. */
  group: z.string(),
  when: z.string().nullable(),
  points: numberSchema.nullable(),
  least: numberSchema.nullable(),
  greatest: numberSchema.nullable(),
  unit: z.string(),
  /** What is chosen of; of a file its kinds. */
  options: z.array(optionSchema),
  /** The table of which a record is chosen. */
  table: keySchema.nullable(),
});
export type AskedQuestion = z.infer<typeof askedQuestionSchema>;

/** The questions that a section asks, under the values of the fields that narrow them. */
export const askedSetSchema = z.strictObject({
  given: z.record(z.string(), valueSchema),
  questions: z.array(askedQuestionSchema),
});
export type AskedSet = z.infer<typeof askedSetSchema>;

/** The sets of a form, by section. */
export type AskedSets = Readonly<Record<string, AskedSet>>;

/** What a field is of a question. */
export interface AskedField {
  section: string;
  question: AskedQuestion;
  /** The one of several choices that it ticks. */
  option: string | null;
}

/** At most so many questions are asked in a section. */
export const mostQuestions = 2000;

const answerPrefix = 'answer/';

/** The column of the sheet, as the engine sees it, that holds an answer; the database keeps it as a row. */
export function answerColumn(code: string, option: string | null = null): string {
  return answerPrefix + code + (option === null ? '' : `/${option}`);
}

/** Whether a column is an answer. */
export function isAnswerColumn(column: string): boolean {
  return column.startsWith(answerPrefix);
}
