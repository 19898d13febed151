import { z } from 'zod';
import { answerSchema } from '../entry/asks';
import { openedSchema } from '../entry/stored';
import { linkSchema } from '../entry/filled';
import { keptSetsSchema } from '../plan/asked-sheet';
import { keySchema } from '../values/key';
import { valueSchema } from '../values/types';

/** At most so many steps does a rehearsal have. */
export const mostRehearsed = 2000;
/** At most so many rehearsals does a form have. */
export const mostRehearsals = 200;
/** The longest name of a rehearsal, in characters. */
export const longestRehearsalName = 200;
/** The longest word of why something is published over rehearsals that do not hold, in characters. */
export const longestWhy = 1000;
/** A kept rehearsal has at most so many characters of JSON. */
export const longestRehearsal = 4_000_000;

/** Where something is: `fee`, `lines[2].fee`, or a row itself, `lines[2]`; rows by their places among all of their grid. */
const pathSchema = z.string().max(200);

/** What a person does in a form. */
export const rehearsedStepSchema = z.discriminatedUnion('do', [
  z.strictObject({ do: z.literal('set'), at: pathSchema, value: valueSchema }),
  /** What is typed and is no value, or a key that is looked up. */
  z.strictObject({ do: z.literal('type'), at: pathSchema, text: z.string().max(100_000) }),
  /** A row at the end; `within` names the row that it stands in, `''` the form. */
  z.strictObject({ do: z.literal('add'), grid: keySchema, within: pathSchema }),
  z.strictObject({ do: z.literal('remove'), at: pathSchema }),
]);
export type RehearsedStep = z.infer<typeof rehearsedStepSchema>;

const expectedThings = ['value', 'hidden', 'offers', 'problem', 'write', 'send', 'mail'] as const;

/** How much is expected of something: just this, as much or more, as much or less, or whatever comes. */
export const strictnesses = ['is', 'at_least', 'at_most', 'any'] as const;
export type Strictness = (typeof strictnesses)[number];

/** Whatever JSON holds. */
export type Json =
  string | number | boolean | null | readonly Json[] | { readonly [key: string]: Json };
/** Parsed from JSON it can be nothing else; described without a recursion, which descriptions of the API cannot hold. */
export const jsonSchema = z.unknown() as z.ZodType<Json>;

/** One thing that is expected at the end. */
export const expectationSchema = z
  .strictObject({
    of: z.enum(expectedThings),
    at: pathSchema,
    how: z.enum(strictnesses),
    /** The value; how many are offered, or which; the codes of problems; what is written, or sent. */
    is: jsonSchema,
  })
  .refine(({ of, is }) => is !== undefined && isSeenAs(of, is), { error: 'it is nothing seen so' });

/** Whether something could have been seen so. */
function isSeenAs(of: (typeof expectedThings)[number], is: Json): boolean {
  if (of === 'problem') return Array.isArray(is) && is.every((code) => typeof code === 'string');
  const schema = sentSchemas[of as keyof typeof sentSchemas] as z.ZodType | undefined;
  return schema === undefined || schema.safeParse(is).success;
}

const writtenSchema = z.strictObject({
  action: z.enum(['insert', 'update', 'delete']),
  table: z.string(),
  values: z.record(z.string(), z.unknown()),
});

/** What leaves the form as it is saved, by what is seen of it. */
const sentSchemas = {
  write: writtenSchema,
  send: z.strictObject({
    connection: z.string(),
    method: z.string(),
    address: z.string(),
    body: z.record(z.string(), z.unknown()),
  }),
  mail: z.strictObject({
    to: z.array(z.string()),
    people: z.array(z.string()),
    subject: z.string(),
    text: z.string(),
  }),
};

/** Whether something leaves the form as it is saved: nothing of that is expected by itself. */
export function isSent(of: (typeof expectedThings)[number]): of is keyof typeof sentSchemas {
  return of in sentSchemas;
}

export type Expectation = z.infer<typeof expectationSchema>;

/** An answer that was given while it was recorded, with what was asked. */
const heardSchema = z.strictObject({
  /** What asked: the kind and the field, `list lines.item`. */
  of: z.string().max(120),
  given: z.record(z.string(), valueSchema),
  current: valueSchema,
  answer: answerSchema,
});
export type Heard = z.infer<typeof heardSchema>;

/** A filling that is kept with its form: what is done, what was answered meanwhile, and what is expected of it. */
export const rehearsalSchema = z.strictObject({
  /** The stored record that it begins with, as it was then; `null` for a new one. */
  begins: openedSchema.nullable(),
  /** The day and the moment that hold in it, whenever it is played. */
  today: z.iso.date(),
  now: z.iso.datetime(),
  person: z.record(z.string(), valueSchema),
  link: linkSchema,
  /** The questions that were asked, by section. */
  asked: keptSetsSchema,
  steps: z.array(rehearsedStepSchema).max(mostRehearsed),
  expects: z.array(expectationSchema).max(50_000),
  /** What became another value: as it began, and after each step. */
  follows: z.array(z.record(z.string(), valueSchema)),
  /** How each field asked when it was recorded, by what asked. */
  sources: z.record(z.string(), z.string()),
  heard: z.array(heardSchema),
});
export type Rehearsal = z.infer<typeof rehearsalSchema>;

/** Rehearsals as they travel with a plan. */
export const namedRehearsalsSchema = z
  .array(
    z.strictObject({
      name: z.string().min(1).max(longestRehearsalName),
      rehearsal: rehearsalSchema,
    }),
  )
  .max(mostRehearsals);
export type NamedRehearsal = z.infer<typeof namedRehearsalsSchema>[number];

/** What a rehearsal is played from. */
export type Script = Pick<
  Rehearsal,
  'begins' | 'today' | 'now' | 'person' | 'link' | 'asked' | 'steps'
>;

/** A place in its parts: the grid and the place of the row, and the field; each `null` where it names none. */
export function placeIn(at: string): {
  grid: string | null;
  row: number | null;
  field: string | null;
} {
  const [, grid, row, field] = /^([^[\].]+)\[(\d{1,6})\](?:\.(.+))?$/.exec(at) ?? [];
  if (grid === undefined) return { grid: null, row: null, field: at };
  return { grid, row: Number(row), field: field ?? null };
}
