import { z } from 'zod';
import { conditionSchema, operators, orderSchema, pathSchema } from '../table/conditions';
import { keySchema } from '../table/definition';
import { optionSchema, valueSchema, valueTypeSchema } from '../values/types';

/** The newest format of the plan document. */
export const planFormat = 1;

/** A condition of choices that compares a column with the value of another field. */
export const narrowingSchema = z.strictObject({
  path: pathSchema,
  operator: z.enum(operators).exclude(['between', 'one_of', 'empty', 'not_empty']),
  /** The key of the narrowing field. */
  field: keySchema,
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
});
export type TableChoices = z.infer<typeof tableChoicesSchema>;

export const choicesSchema = z.discriminatedUnion('kind', [valueChoicesSchema, tableChoicesSchema]);
export type Choices = z.infer<typeof choicesSchema>;

/** One field of a form. */
export const fieldSchema = z.strictObject({
  key: keySchema,
  label: z.string().trim().min(1).max(200),
  help: z.string().max(1000).default(''),
  /** The column it saves to; `null` makes it a working field. */
  savesTo: keySchema.nullable(),
  /** What a working field without choices holds; otherwise column or choices say it. */
  holds: valueTypeSchema.nullable().default(null),
  required: z.boolean().default(false),
  initial: valueSchema.default(null),
  choices: choicesSchema.nullable().default(null),
});
export type Field = z.infer<typeof fieldSchema>;

/** A part of a form under one heading. */
export const sectionSchema = z.strictObject({
  key: keySchema,
  title: z.string().max(200),
  columns: z.union([z.literal(1), z.literal(2), z.literal(3)]).default(2),
  fields: z.array(fieldSchema).max(1000),
});
export type Section = z.infer<typeof sectionSchema>;

/** The document that describes a form. */
export const planSchema = z.strictObject({
  format: z.literal(planFormat),
  title: z.string().trim().min(1).max(200),
  /** The target table: a save writes one record of it. */
  table: keySchema,
  sections: z.array(sectionSchema).min(1).max(100),
});
export type Plan = z.infer<typeof planSchema>;

/** All fields of the plan in form order. */
export function fieldsOf(plan: Plan): Field[] {
  return plan.sections.flatMap((section) => section.fields);
}

/** The field with this key. */
export function fieldOf(plan: Plan, key: string): Field | undefined {
  return fieldsOf(plan).find((field) => field.key === key);
}

/** The table choices of a field, if it has such. */
export function tableChoices(field: Field): TableChoices | null {
  return field.choices?.kind === 'table' ? field.choices : null;
}
