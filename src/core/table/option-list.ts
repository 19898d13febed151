import { z } from 'zod';
import { problem, type Problem } from '../problems';
import { mostOptions, optionSchema, type Option, type Value } from '../values/types';
import { keySchema } from '../values/key';

/** Values that several tables and forms share: named, ordered, with labels that follow everywhere. */
export const optionListSchema = z.strictObject({
  key: keySchema,
  title: z.string().trim().min(1).max(200),
  category: z.string().trim().max(100).default(''),
  note: z.string().max(1000).default(''),
  /** The list to whose values these belong, for narrowing. */
  of: keySchema.nullable().default(null),
  values: z.array(optionSchema).max(mostOptions),
});
export type OptionList = z.infer<typeof optionListSchema>;

/** All lists by key. */
export type Lists = ReadonlyMap<string, OptionList>;

/** The values of a list that can be chosen now: not retired, and belonging to what is given, if anything is. */
export function offeredOf(
  list: OptionList | undefined,
  belongsTo: Value | undefined,
  current: Value = null,
): Option[] {
  return (list?.values ?? []).filter(
    ({ retired, of, value }) =>
      (!retired || value === current) && (belongsTo === undefined || of === belongsTo),
  );
}

/** Everything that is wrong with a list, by path (`values[2]`). */
export function listProblems(list: OptionList, lists: Lists): Problem[] {
  const problems: Problem[] = [];
  const { key, title, of } = list;
  const around = of === null ? undefined : lists.get(of);
  if (of !== null && (of === key || !around)) {
    problems.push(problem('list_of_missing', { list: of }, 'of'));
  }
  if (around?.of === key) problems.push(problem('list_circle', { list: around.title }, 'of'));
  const [values, labels] = [new Set<string>(), new Set<string>()];
  list.values.forEach((option, i) => {
    const path = `values[${i}]`;
    const value = option.value.toLowerCase();
    const label = `${option.of ?? ''} ${option.label.toLowerCase()}`;
    const details = { label: title, given: option.label };
    if (values.has(value)) problems.push(problem('option_twice', details, path));
    else if (labels.has(label)) problems.push(problem('option_label_twice', details, path));
    values.add(value);
    labels.add(label);
    if (option.of === undefined) return;
    if (!around?.values.some((other) => other.value === option.of)) {
      problems.push(problem('option_of_missing', { given: option.label, of: option.of }, path));
    }
  });
  return problems;
}

/**
 * Values as they are pasted or stand in a file: a label a line, or label, stored value and the value it
 * belongs to. What the list has already (by stored value, or by label) is changed, the rest is added.
 */
export function mergedValues(list: OptionList, rows: readonly (readonly string[])[]): Option[] {
  const values = list.values.map((option) => ({ ...option }));
  for (const row of rows) {
    const [label = '', given = '', of = ''] = row.map((cell) => cell.trim());
    if (label === '') continue;
    const known = values.find((option) =>
      given === ''
        ? option.label.toLowerCase() === label.toLowerCase()
        : option.value.toLowerCase() === given.toLowerCase(),
    );
    const option = known ?? { value: given || label, label };
    option.label = label;
    if (of !== '') option.of = of;
    if (!known) values.push(option);
  }
  return values;
}
