import { z } from 'zod';
import { sendMethods } from '../outside/sending';
import { longestFormula } from '../formula/syntax';
import { conditionSchema, operators, orderSchema, pathSchema } from '../table/conditions';
import { keySchema } from '../values/key';
import { optionSchema, valueSchema, valueTypeSchema } from '../values/types';

/** The newest format of the plan document. */
export const planFormat = 1;

/** A formula in FEEL, as it is written. */
export const formulaSchema = z.string().trim().min(1).max(longestFormula);

/** A field of the same scope, or, in the rows of a grid, one of the row or the form around it. */
const sourceSchema = z
  .string()
  .max(70)
  .regex(/^(parent\.){0,2}[a-z][a-z0-9_]*$/);

/** A condition of choices that compares a column with the value of another field. */
export const narrowingSchema = z.strictObject({
  path: pathSchema,
  operator: z.enum(operators).exclude(['between', 'one_of', 'empty', 'not_empty']),
  /** The key of the narrowing field; `parent.key` from a row of a grid. */
  field: sourceSchema,
  /** What is offered while that field is empty. */
  whileEmpty: z.enum(['nothing', 'everything']).default('nothing'),
});
export type Narrowing = z.infer<typeof narrowingSchema>;

/** Choices typed into the form itself. */
const valueChoicesSchema = z.strictObject({
  kind: z.literal('values'),
  values: z.array(optionSchema).max(500),
});

/** Choices taken from a table. */
const tableChoicesSchema = z.strictObject({
  kind: z.literal('table'),
  table: keySchema,
  /** The columns shown, as columns of the list. */
  shown: z.array(pathSchema).max(8),
  /** What is stored: the link to the record, or a copy of a column. */
  stores: z.discriminatedUnion('kind', [
    z.strictObject({ kind: z.literal('link') }),
    z.strictObject({ kind: z.literal('copy'), column: keySchema }),
  ]),
  order: z.array(orderSchema).max(4).default([]),
  /** Each value of the copied column once. */
  distinct: z.boolean().default(false),
  conditions: z.array(conditionSchema).max(20).default([]),
  narrowings: z.array(narrowingSchema).max(20).default([]),
  /** Take the choice when a single one is left. */
  takeOnly: z.boolean().default(false),
  /** The column whose value is typed instead of choosing from a list. */
  typedBy: keySchema.nullable().default(null),
  /** Whether a record that is missing in the list can be added from the field. */
  adds: z.boolean().default(true),
});
export type TableChoices = z.infer<typeof tableChoicesSchema>;

/** Which field gives a parameter of a query its value. */
const givenSchema = z.strictObject({
  parameter: keySchema,
  field: sourceSchema,
  /** Asked also while the field is empty. */
  optional: z.boolean().default(false),
});
export type Given = z.infer<typeof givenSchema>;

/** Choices from a query on an outside system. */
const outsideChoicesSchema = z.strictObject({
  kind: z.literal('outside'),
  query: keySchema,
  /** The column that is stored. */
  stores: keySchema,
  /** The columns that are shown. */
  shown: z.array(keySchema).max(8),
  given: z.array(givenSchema).max(20).default([]),
  /** Take the choice when a single one is left. */
  takeOnly: z.boolean().default(false),
});
export type OutsideChoices = z.infer<typeof outsideChoicesSchema>;

/** A value read outside: a column of the first row that a query gives. */
export const outsideValueSchema = z.strictObject({
  query: keySchema,
  column: keySchema,
  given: z.array(givenSchema).max(20).default([]),
});
export type OutsideValue = z.infer<typeof outsideValueSchema>;

/** Choices from an option list. */
const optionChoicesSchema = z.strictObject({
  kind: z.literal('options'),
  list: keySchema,
  /** The field whose value those offered belong to; `null` offers all. */
  by: sourceSchema.nullable().default(null),
});
export type OptionChoices = z.infer<typeof optionChoicesSchema>;

/** The columns of the record that another field has chosen: which of them is to be read. */
const columnChoicesSchema = z.strictObject({
  kind: z.literal('columns'),
  /** The field that has chosen the record. */
  of: keySchema,
  paths: z.array(pathSchema).min(1).max(30),
});
export type ColumnChoices = z.infer<typeof columnChoicesSchema>;

export const choicesSchema = z.discriminatedUnion('kind', [
  valueChoicesSchema,
  optionChoicesSchema,
  outsideChoicesSchema,
  tableChoicesSchema,
  columnChoicesSchema,
]);
export type Choices = z.infer<typeof choicesSchema>;

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
  required: z.boolean().default(false),
  requiredWhen: formulaSchema.nullable().default(null),
  shownWhen: formulaSchema.nullable().default(null),
  /** What becomes of its value while it is not shown. */
  whileHidden: z.enum(['clear', 'keep']).default('clear'),
  lockedWhen: formulaSchema.nullable().default(null),
  checks: z.array(checkSchema).max(20).default([]),
});
export type Field = z.infer<typeof fieldSchema>;

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
  /** The grid is there only while this holds; without it, it has no rows. */
  shownWhen: formulaSchema.nullable().default(null),
  /** Only rows for which this holds stand in sight; the others are kept and saved all the same. */
  rowsWhen: formulaSchema.nullable().default(null),
});

export type Grid = z.infer<typeof gridSchema>;

/** A part of a form under one heading; with a grid, its fields are the columns of the rows. */
export const sectionSchema = z.strictObject({
  key: keySchema,
  title: z.string().max(200),
  columns: z.union([z.literal(1), z.literal(2), z.literal(3)]).default(2),
  fields: z.array(fieldSchema).max(1000),
  grid: gridSchema.nullable().default(null),
  /** The title of the page that begins with this section; `null` goes on with the one before. */
  page: z.string().max(200).nullable().default(null),
});
export type Section = z.infer<typeof sectionSchema>;

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

/** The document that describes a form. */
export const planSchema = z.strictObject({
  format: z.literal(planFormat),
  title: z.string().trim().min(1).max(200),
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
  /** Where its record stands in an outside system. */
  through: throughSchema.nullable().optional(),
});
export type Plan = z.infer<typeof planSchema>;

/** A page of a form: its title, and the sections on it. */
export interface PlanPage {
  title: string;
  sections: Section[];
}

/** The pages of a form; one without a title where none is begun. */
export function pagesOf(plan: Plan): PlanPage[] {
  const pages: PlanPage[] = [];
  for (const section of plan.sections) {
    const current = pages.at(-1);
    if (current && section.page === null) current.sections.push(section);
    else pages.push({ title: section.page ?? '', sections: [section] });
  }
  return pages;
}

/** Where fields stand together: the form itself, or the rows of a grid. */
export interface PlanScope {
  /** The key of the grid; `''` for the form. */
  key: string;
  title: string;
  /** The table that its fields are saved to. */
  table: string;
  /** The column of the rows that refers to the record around them; `null` for the form. */
  link: string | null;
  /** The grid to whose rows these belong; `null` for the form and for rows of its record. */
  within: string | null;
  /** The formula, of the form, under which a grid is there. */
  shownWhen: string | null;
  /** The formula, of a row, under which it stands in sight. */
  rowsWhen: string | null;
  /** For a form that passes through: from where its fields are. */
  through?: Through | null | undefined;
  fields: readonly Field[];
}

/** The form and its grids, each after the one that it stands in. */
export function scopesOf(plan: Plan): PlanScope[] {
  const grids = plan.sections.flatMap(({ key, title, grid, fields }) =>
    grid ? [{ key, title, ...grid, fields }] : [],
  );
  const inner = (grid: PlanScope) => grid.within !== null;
  return [rootScope(plan), ...grids.filter((g) => !inner(g)), ...grids.filter(inner)];
}

/** The form itself as a scope. */
export function rootScope(plan: Plan): PlanScope {
  const { title, table } = plan;
  const outermost = { link: null, within: null, shownWhen: null, rowsWhen: null };
  return { key: '', title, table, ...outermost, through: plan.through, fields: fieldsOf(plan) };
}

/** The scope around another; `null` for the form itself, and for rows of a grid that is not there. */
export function scopeAround<S extends { key: string; within: string | null }>(
  scopes: ReadonlyMap<string, S>,
  scope: Pick<S, 'key' | 'within'>,
): S | null {
  return scope.key === '' ? null : (scopes.get(scope.within ?? '') ?? null);
}

/**
 * Where a name leads that is said in a scope: `fee` to a field of its own, `parent.fee` to one of what
 * is around it, `parent.parent.fee` to one further out; `null` where nothing is around it.
 */
export function namedPlace<S extends { key: string; within: string | null }>(
  scopes: ReadonlyMap<string, S>,
  scope: string,
  name: string,
): { scope: S; key: string } | null {
  const parts = name.split('.');
  let at = scopes.get(scope) ?? null;
  while (at && parts[0] === 'parent' && parts.length > 1) {
    parts.shift();
    at = scopeAround(scopes, at);
  }
  return at && { scope: at, key: parts.join('.') };
}

/** The fields of the form itself in form order, without those of its grids. */
export function fieldsOf(plan: Plan): Field[] {
  return plan.sections.flatMap((section) => (section.grid ? [] : section.fields));
}

/** The field with this key. */
export function fieldOf(plan: Plan, key: string): Field | undefined {
  return fieldsOf(plan).find((field) => field.key === key);
}

/** The table choices of a field, if it has such. */
export function tableChoices(field: Field): TableChoices | null {
  return field.choices?.kind === 'table' ? field.choices : null;
}

/** The choices of a field from an option list, if it has such. */
export function optionChoices(field: Field): OptionChoices | null {
  return field.choices?.kind === 'options' ? field.choices : null;
}

/** The scope that the fields of a section belong to: `''` for the form itself, otherwise the grid. */
export function scopeOf(section: Section): string {
  return section.grid ? section.key : '';
}

/** A field by its address: `fee` in the form itself, `lines.fee` in a grid. */
export function placeOf(address: string): { scope: string; key: string } {
  const [first = '', second] = address.split('.');
  return second === undefined ? { scope: '', key: first } : { scope: first, key: second };
}

/** The address of a field. */
export function addressOf(scope: string, key: string): string {
  return scope === '' ? key : `${scope}.${key}`;
}
