import { z } from 'zod';
import { conditionSchema, operators, orderSchema, pathSchema } from '../table/conditions';
import { keySchema } from '../values/key';
import { optionSchema } from '../values/types';

/** A field of the same scope, or, in the rows of a grid, one of the row or the form around it. */
const sourceSchema = z
  .string()
  .max(70)
  .regex(/^(parent\.){0,2}[a-z][a-z0-9_]*$/);

/** Comparisons with one other value. */
export const narrowingOperator = z
  .enum(operators)
  .exclude(['between', 'one_of', 'empty', 'not_empty']);

/** A condition of choices that compares a column with the value of another field. */
export const narrowingSchema = z.strictObject({
  path: pathSchema,
  operator: narrowingOperator,
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
  /** Offers and brings all there is, whoever fills the form in: also what they may not see elsewhere. */
  everyone: z.boolean().optional(),
  /** The columns that a guest sees and searches; those shown, where nothing is said. */
  guests: z.array(pathSchema).min(1).max(8).optional(),
});
export type TableChoices = z.infer<typeof tableChoicesSchema>;

/** Which field gives a parameter of a query its value. */
export const givenSchema = z.strictObject({
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

/** The table choices of a field, if it has such. */
export function tableChoices(field: { choices: Choices | null }): TableChoices | null {
  return field.choices?.kind === 'table' ? field.choices : null;
}

/** The choices of a field from an option list, if it has such. */
export function optionChoices(field: { choices: Choices | null }): OptionChoices | null {
  return field.choices?.kind === 'options' ? field.choices : null;
}
