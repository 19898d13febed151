import { say, spoken } from '../words/say';
import { z } from 'zod';
import { idsOf, scalarSchema, type Scalar, type Value, type ValueType } from '../values/types';

/** Comparisons of a column with one value or several. */
export const operators = [
  'equal',
  'not_equal',
  'contains',
  'begins_with',
  'at_least',
  'at_most',
  'between',
  'one_of',
  'empty',
  'not_empty',
] as const;
export type Operator = (typeof operators)[number];

/** A path to a column: `name`, `town.region.name`. */
export const pathSchema = z
  .string()
  .max(300)
  .regex(/^[a-z][a-z0-9_]*(\.[a-z][a-z0-9_]*)*$/);

/** A comparison of a column with constant values, in canonical form. */
export const conditionSchema = z.strictObject({
  path: pathSchema,
  operator: z.enum(operators),
  /** None for empty and not_empty, two for between, any number for one_of, otherwise one. */
  values: z.array(scalarSchema).max(200).default([]),
});
export type Condition = z.infer<typeof conditionSchema>;

/** An order term. */
export const orderSchema = z.strictObject({
  path: pathSchema,
  descending: z.boolean().default(false),
});
export type Order = z.infer<typeof orderSchema>;

/**
 * The condition that the value of a narrowing field makes: none while it is empty, and any of its
 * records where it holds several.
 */
export function narrowedBy(path: string, operator: Operator, by: Value): Condition | null {
  if (by === null) return null;
  if (!Array.isArray(by)) return { path, operator, values: [by as Scalar] };
  const ids = idsOf(by);
  return ids.length === 0 ? null : { path, operator: 'one_of', values: [...ids] };
}

/** The columns of the table itself that have one value in all records under some conditions. */
export function fixedBy(
  conditions: readonly Pick<Condition, 'path' | 'operator'>[],
): ReadonlySet<string> {
  return new Set(
    conditions
      .filter(({ path, operator }) => operator === 'equal' && !path.includes('.'))
      .map(({ path }) => path),
  );
}

/** The comparison in words, as it stands between a column and a value. */
export const operatorWords: Record<Operator, string> = spoken(() => ({
  equal: say('is'),
  not_equal: say('is not'),
  contains: say('contains'),
  begins_with: say('begins with'),
  at_least: say('is at least'),
  at_most: say('is at most'),
  between: say('is between'),
  one_of: say('is one of'),
  empty: say('is empty'),
  not_empty: say('is not empty'),
}));

/** How many values an operator takes; `many` is one or more. */
export function valuesTaken(operator: Operator): 0 | 1 | 2 | 'many' {
  if (operator === 'empty' || operator === 'not_empty') return 0;
  if (operator === 'between') return 2;
  return operator === 'one_of' ? 'many' : 1;
}

/** The operators that make sense for a type. */
export function operatorsFor(type: ValueType): Operator[] {
  switch (type.kind) {
    case 'text':
    case 'long_text':
    case 'code':
      return ['contains', 'begins_with', 'equal', 'not_equal', 'one_of', 'empty', 'not_empty'];
    case 'yes_no':
      return ['equal', 'empty', 'not_empty'];
    case 'references':
      return ['contains', 'empty', 'not_empty'];
    case 'rows':
    case 'files':
      return ['empty', 'not_empty'];
    case 'option':
    case 'reference':
      return ['equal', 'not_equal', 'one_of', 'empty', 'not_empty'];
    default:
      return ['equal', 'not_equal', 'at_least', 'at_most', 'between', 'empty', 'not_empty'];
  }
}
