import { choicesSchema, narrowingSchema, outsideValueSchema } from './choices';
import { z } from 'zod';
import { sendMethods } from '../outside/sending';
import { longestFormula } from '../formula/syntax';
import { conditionSchema, pathSchema } from '../table/conditions';
import { pictureSchema, thresholdSchema, totalSchema } from '../table/view';
import { keySchema } from '../values/key';
import type { AskedField } from './asked-set';
import { valueSchema, valueTypeSchema } from '../values/types';

/** The newest format of the plan document. */
export const planFormat = 1;

/** A formula in FEEL, as it is written. */
export const formulaSchema = z.string().trim().min(1).max(longestFormula);

/** A column of the chosen record that is shown, or copied to another field. */
export const bringSchema = z.strictObject({
  /** The column; `null` where a field says which one (`by`). */
  path: pathSchema.nullable(),
  by: keySchema.nullable().default(null),
  /** The field that takes it; `null` shows it as a line beside the lookup. */
  into: keySchema.nullable().default(null),
  /** `live`: always as the record is now; `kept`: as it was when chosen. */
  keeps: z.enum(['live', 'kept']).default('live'),
  editable: z.boolean().default(false),
});
export type Bring = z.infer<typeof bringSchema>;

export const aggregates = ['count', 'sum', 'least', 'greatest', 'average'] as const;

/** An aggregate over a table, narrowed by the form's values. */
export const rollupSchema = z.strictObject({
  table: keySchema,
  aggregate: z.enum(aggregates),
  /** The column; `null` for count. */
  path: pathSchema.nullable().default(null),
  conditions: z.array(conditionSchema).max(20).default([]),
  /** Of a sum or a count: records for which all of these hold are taken off instead of added. */
  less: z.array(conditionSchema).max(20).default([]),
  narrowings: z.array(narrowingSchema).max(20).default([]),
});
export type Rollup = z.infer<typeof rollupSchema>;

/** What must hold when the entry is saved. */
export const checkSchema = z.strictObject({
  holds: formulaSchema,
  /** What is said where it does not; `{formula}` stands for its result. */
  message: z.string().trim().min(1).max(500),
});
export type Check = z.infer<typeof checkSchema>;

/** One field of a form. */
export const fieldSchema = z.strictObject({
  key: keySchema,
  label: z.string().trim().min(1).max(200),
  help: z.string().max(1000).default(''),
  /** The column it saves to; `null` makes it a working field. */
  savesTo: keySchema.nullable(),
  /** What a working field without choices holds; otherwise column or choices say it. */
  holds: valueTypeSchema.nullable().default(null),
  choices: choicesSchema.nullable().default(null),
  /** What a chosen record brings along. */
  brings: z.array(bringSchema).max(30).default([]),
  /** The formula that gives its value; nobody types it then. */
  computes: formulaSchema.nullable().default(null),
  /** The aggregate that gives its value. */
  rollup: rollupSchema.nullable().default(null),
  /** The query on an outside system that gives its value. */
  outside: outsideValueSchema.nullable().default(null),
  /** What it begins with. */
  initial: valueSchema.default(null),
  /** The formula it begins with, and follows until a person sets another value. */
  initially: formulaSchema.nullable().default(null),
  /**
   * How it stands in the form: as an input, as a quiet line, as the list of all its choices (which only
   * shows them: the rows of any table, under the form's values), or not at all.
   */
  shows: z.enum(['input', 'line', 'list', 'nothing']).default('input'),
  /** What an input is typed or chosen with, where its values allow it: a box; a tick box or a switch; radio buttons. */
  control: z.enum(['box', 'tick', 'switch', 'radio']).default('box'),
  required: z.boolean().default(false),
  requiredWhen: formulaSchema.nullable().default(null),
  shownWhen: formulaSchema.nullable().default(null),
  /** What becomes of its value while it is not shown. */
  whileHidden: z.enum(['clear', 'keep']).default('clear'),
  /** Whether its value is kept where the next record is begun at once after a save. */
  carries: z.boolean().default(false),
  lockedWhen: formulaSchema.nullable().default(null),
  checks: z.array(checkSchema).max(20).default([]),
});
/** A field as a designer describes it, or as a question has become one. */
export type Field = z.infer<typeof fieldSchema> & { asked?: AskedField };

/**
 * What makes a section a grid: its rows are records of a table that refer to the form's record, or to
 * the rows of another grid.
 */
export const gridSchema = z.strictObject({
  table: keySchema,
  link: keySchema,
  /** The grid to whose rows these rows belong; `null` for rows of the form's own record. */
  within: keySchema.nullable().default(null),
  /** The named view of the table that says what is summed and marked. */
  view: keySchema.nullable().default(null),
  /** What is summed besides, by columns of its table. */
  totals: z.array(totalSchema).max(20).default([]),
  /** From which numbers on cells are marked besides. */
  thresholds: z.array(thresholdSchema).max(50).default([]),
  /** The picture below the lines; that of the view where it is `null`. */
  picture: pictureSchema.nullable().default(null),
  /** The grid is there only while this holds; without it, it has no rows. */
  shownWhen: formulaSchema.nullable().default(null),
  /** Only rows for which this holds stand in sight; the others are kept and saved all the same. */
  rowsWhen: formulaSchema.nullable().default(null),
});

export type Grid = z.infer<typeof gridSchema>;

/**
 * What makes a section ask questions that are rows of a table: which rows, what each of their columns says, and
 * where the answers are kept, one by one.
 */
export const questionsSchema = z.strictObject({
  /** The table whose rows are asked. */
  table: keySchema,
  /** The rows that are asked: columns of theirs compared with fields of the form. */
  narrowings: z.array(narrowingSchema).max(10).default([]),
  /** Which column of the table says what of a question. */
  columns: z.strictObject({
    /** The name by which answers and conditions know it; it stays when the text is reworded. */
    code: keySchema,
    text: keySchema,
    kind: keySchema,
    required: keySchema.nullable().default(null),
    choices: keySchema.nullable().default(null),
    help: keySchema.nullable().default(null),
    order: keySchema.nullable().default(null),
    /** The heading under which it stands. */
    group: keySchema.nullable().default(null),
    /** The condition, over earlier answers by their code, under which it is asked. */
    when: keySchema.nullable().default(null),
    points: keySchema.nullable().default(null),
    least: keySchema.nullable().default(null),
    greatest: keySchema.nullable().default(null),
    unit: keySchema.nullable().default(null),
  }),
  /** The field of the form that takes the sum of the points. */
  points: keySchema.nullable().default(null),
  /** Where each answer is a row: the column that refers to the sheet, and those that take what is answered. */
  answers: z.strictObject({
    table: keySchema,
    sheet: keySchema,
    code: keySchema,
    /** Refers to the row of the question, as long as there is one. */
    question: keySchema.nullable().default(null),
    /** The question as it was asked. */
    asked: keySchema.nullable().default(null),
    text: keySchema,
    number: keySchema,
    day: keySchema,
    yesNo: keySchema,
    option: keySchema,
    /** The number of a record that was chosen. */
    record: keySchema.nullable().default(null),
    /** Takes files that were handed in. */
    files: keySchema.nullable().default(null),
  }),
});
export type Questions = z.infer<typeof questionsSchema>;

/** A part of a form under one heading; with a grid, its fields are the columns of the rows. */
export const sectionSchema = z.strictObject({
  key: keySchema,
  title: z.string().max(200),
  /** Whether it begins folded, its heading alone in sight. */
  folded: z.boolean().optional(),
  columns: z.union([z.literal(1), z.literal(2), z.literal(3)]).default(2),
  fields: z.array(fieldSchema).max(1000),
  grid: gridSchema.nullable().default(null),
  /** Questions that follow its fields, as rows of a table say them. */
  questions: questionsSchema.nullable().optional(),
  /** The title of the page that begins with this section; `null` goes on with the one before. */
  page: z.string().max(200).nullable().default(null),
});
/** A section as a designer describes it, or with its questions as fields (`asked`). */
export type Section = z.infer<typeof sectionSchema> & { asked?: true };

/** When a record is written besides: with a new one, with every save, or when a line is taken out. */
export const writeOccasions = ['new', 'every_save', 'removal'] as const;

/** A record that a save writes besides, into another table: a new one, or changes of one. */
export const extraWriteSchema = z.strictObject({
  table: keySchema,
  /** The grid for each of whose lines one is written; `null` writes one for the whole form. */
  each: keySchema.nullable().default(null),
  on: z.enum(writeOccasions).default('new'),
  /** The formula that gives the record whose columns are changed; `null` adds a new one. */
  record: formulaSchema.nullable().default(null),
  /** Written only when this holds; always, where nothing is said. */
  when: formulaSchema.nullable().default(null),
  /** A formula for each column. */
  values: z.record(keySchema, formulaSchema),
});
export type ExtraWrite = z.infer<typeof extraWriteSchema>;

/** What a save sends to an outside system: delivered afterwards, until it is taken. */
export const sendSchema = z.strictObject({
  connection: keySchema,
  on: z.enum(['new', 'every_save']).default('new'),
  /** Sent only when this holds; always, where nothing is said. */
  when: formulaSchema.nullable().default(null),
  method: z.enum(sendMethods).default('POST'),
  /**
   * The address below the base of the connection, or the statement for a database; `{name}` stands for
   * one of the values. In a statement `{once}` is a key that stays the same however often it is tried.
   */
  address: z.string().trim().max(500).default(''),
  /** A formula for each name in the address and the body. */
  values: z.record(keySchema, formulaSchema),
});
export type Send = z.infer<typeof sendSchema>;

/**
 * What makes a form pass through: it shows a record of an outside system and writes it back there;
 * nothing of it is stored here.
 */
export const throughSchema = z.strictObject({
  /** The query that gives the record. */
  query: keySchema,
  /** The parameter by which it is opened. */
  key: keySchema,
  /** How it is written back; the query's own address, where none is said. `null` only shows it. */
  write: z
    .strictObject({
      method: z.enum(['PUT', 'PATCH', 'POST']).default('PUT'),
      address: z.string().trim().max(500).default(''),
    })
    .nullable()
    .default(null),
  /** Which column of the query each field shows. */
  columns: z.record(keySchema, keySchema),
});
export type Through = z.infer<typeof throughSchema>;

/** One thing that a button does. */
export const buttonStepSchema = z.discriminatedUnion('do', [
  /** Gives a field a value. */
  z.strictObject({ do: z.literal('set'), field: keySchema, to: formulaSchema }),
  /** Reads again what the form shows of tables and outside systems. */
  z.strictObject({ do: z.literal('ask') }),
  /** Saves the record; where that is refused, the button goes no further. */
  z.strictObject({ do: z.literal('save') }),
  /** Tells an outside system, through the outbox. */
  z.strictObject({
    do: z.literal('tell'),
    connection: keySchema,
    method: z.enum(sendMethods).default('POST'),
    address: z.string().trim().max(500).default(''),
    values: z.record(keySchema, formulaSchema),
  }),
  /** Opens another form, with columns of its table carried along. */
  z.strictObject({
    do: z.literal('open'),
    form: keySchema,
    carry: z.record(keySchema, formulaSchema).default({}),
  }),
]);
export type ButtonStep = z.infer<typeof buttonStepSchema>;

/** A button of the form's own. */
export const buttonSchema = z.strictObject({
  key: keySchema,
  label: z.string().trim().min(1).max(60),
  /** It is there only while this holds. */
  when: formulaSchema.nullable().default(null),
  steps: z.array(buttonStepSchema).max(10),
});
export type Button = z.infer<typeof buttonSchema>;

/** What follows a save: what one reads, and where one goes. */
export const afterSchema = z.strictObject({
  /** Read instead of what was written; `{formula}` stands for its result. */
  message: z.string().trim().max(1000).default(''),
  /** What was written, the next new record, the record, another form, or an address. */
  next: z.enum(['receipt', 'another', 'record', 'form', 'address']).default('receipt'),
  form: keySchema.nullable().default(null),
  /** What the other form begins with, by column of its table. */
  carry: z.record(keySchema, formulaSchema).default({}),
  address: z.string().trim().max(500).default(''),
});
export type After = z.infer<typeof afterSchema>;

/** An e-mail that a save sends, through the outbox. `{formula}` stands for its result in each of its texts. */
export const mailSchema = z.strictObject({
  on: z.enum(['new', 'every_save']).default('new'),
  /** Sent only when this holds; always, where nothing is said. */
  when: formulaSchema.nullable().default(null),
  /** Addresses, and sign-in names of people here, with commas between. */
  to: z.string().trim().max(500).default(''),
  /** The form's title, where it is empty. */
  subject: z.string().trim().max(200).default(''),
  text: z.string().trim().max(4000).default(''),
});
export type Mail = z.infer<typeof mailSchema>;

const momentSchema = z.iso.datetime();

/** When a form takes records, and how many. */
export const takesSchema = z.strictObject({
  /** Moments in UTC. */
  from: momentSchema.nullable().default(null),
  until: momentSchema.nullable().default(null),
  /** New records in all, and by one person. */
  most: z.number().int().min(1).max(1_000_000_000).nullable().default(null),
  mostEach: z.number().int().min(1).max(1_000_000_000).nullable().default(null),
  /** Said where it takes none, or none any more. */
  closed: z.string().trim().max(500).default(''),
});
export type Takes = z.infer<typeof takesSchema>;

/** The document that describes a form. */
export const planSchema = z.strictObject({
  format: z.literal(planFormat),
  title: z.string().trim().min(1).max(200),
  /** What it is for, told under its title. */
  description: z.string().trim().max(2000).optional(),
  /** The target table: a save writes one record of it. */
  table: keySchema,
  sections: z.array(sectionSchema).min(1).max(100),
  /** The field in which the cursor starts; the first one, where none is named. */
  startsAt: keySchema.nullable().default(null),
  writes: z.array(extraWriteSchema).max(10).default([]),
  /** What is sent to outside systems after a save. */
  sends: z.array(sendSchema).max(10).optional(),
  /** Buttons of its own. */
  buttons: z.array(buttonSchema).max(8).optional(),
  /** What follows a save. */
  after: afterSchema.optional(),
  /** E-mails that are sent after a save. */
  mails: z.array(mailSchema).max(10).optional(),
  /** When it takes records, and how many; always, and any number, where nothing is said. */
  takes: takesSchema.optional(),
  /** Where its record stands in an outside system. */
  through: throughSchema.nullable().optional(),
});
export type Plan = z.infer<typeof planSchema>;
