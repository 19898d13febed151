import type { House } from '$lib/core/table/definition';
import { isAmount, severalIn, type ValueType } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';
import type { WiredField } from '$lib/core/wiring/wired';

/** Something that a condition can name, as a designer calls it. */
export interface SaidName {
  /** As a formula names it: `['score', 'pages']`. */
  path: readonly string[];
  label: string;
  type: ValueType;
}

/** What conditions of the form, or of a line of one of its grids, can name: fields, and columns of what they choose. */
export function saidNames(form: WiredForm, tables: House, scope: string): SaidName[] {
  const fields = scope === '' ? form.fields : form.scopes.get(scope)?.fields;
  const own = [...(fields?.values() ?? [])].flatMap((field) => saidOf(field, tables, []));
  if (scope === '') return own;
  const around = [...form.fields.values()].flatMap((field) => saidOf(field, tables, ['parent']));
  return [
    ...own,
    ...around.map((name) => ({ ...name, label: `${form.plan.title} › ${name.label}` })),
  ];
}

function saidOf({ field, type }: WiredField, tables: House, before: string[]): SaidName[] {
  const path = [...before, field.key];
  const own = { path, label: field.label, type };
  if (severalIn(type)) return [];
  if (type.kind !== 'reference') return [own];
  const columns = tables.get(type.table)?.columns ?? [];
  const inner = columns
    .filter(({ type }) => type.kind !== 'reference' && !severalIn(type))
    .map((column) => ({
      path: [...path, column.key],
      label: `${field.label} › ${column.label}`,
      type: column.type,
    }));
  return [own, ...inner];
}

/** Whether values of two types can be compared with one another. */
export function areAlike(a: ValueType, b: ValueType): boolean {
  const plain = (type: ValueType) =>
    isAmount(type) && type.kind !== 'duration'
      ? 'amount'
      : ['text', 'long_text', 'code', 'option'].includes(type.kind)
        ? 'text'
        : type.kind === 'reference'
          ? `reference ${type.table}`
          : type.kind;
  return plain(a) === plain(b);
}
