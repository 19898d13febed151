import { amountOf, averageType, valueOfAmount } from '../values/amount';
import { Decimal } from '../formula/feel';
import { z } from 'zod';
import { isAmount, type Value, type ValueType } from '../values/types';
import { conditionSchema, orderSchema } from './conditions';

const columnKey = z
  .string()
  .max(48)
  .regex(/^[a-z][a-z0-9_]*$/);

/** What a total says of a column. */
export const totalKinds = ['sum', 'average', 'least', 'greatest', 'count'] as const;
export type TotalKind = (typeof totalKinds)[number];

export const totalSchema = z.strictObject({ column: columnKey, kind: z.enum(totalKinds) });
export type Total = z.infer<typeof totalSchema>;

/** How a cell is marked; the colour never stands alone, the mark's word goes with it. */
export const tones = ['good', 'watch', 'bad'] as const;
export type Tone = (typeof tones)[number];

/** From a number on, a cell is marked with a colour and a word. */
export const thresholdSchema = z.strictObject({
  column: columnKey,
  /** The number, as it is written: `"50"`, `"12.5"`. */
  from: z.string().regex(/^-?\d{1,30}(\.\d{1,20})?$/, 'a number'),
  tone: z.enum(tones),
  word: z.string().trim().min(1).max(40),
});
export type Threshold = z.infer<typeof thresholdSchema>;

/** How records are looked at, in a table as in a grid: which, in which order, grouped, summed, marked. */
export const viewSchema = z.strictObject({
  filter: z.array(conditionSchema).max(20).default([]),
  sort: z.array(orderSchema).max(4).default([]),
  /** The column whose values make groups. */
  group: columnKey.nullable().default(null),
  totals: z.array(totalSchema).max(20).default([]),
  thresholds: z.array(thresholdSchema).max(50).default([]),
});
export type View = z.infer<typeof viewSchema>;

/** A view that is kept under a name. */
export const namedViewSchema = viewSchema.extend({
  key: columnKey.min(1),
  title: z.string().trim().min(1).max(100),
});
export type NamedView = z.infer<typeof namedViewSchema>;

export const plainView: View = viewSchema.parse({});

/** The mark of a value: of all thresholds that it reaches the highest one. */
export function markOf(view: View, column: string, value: Value): Threshold | null {
  if (value === null || typeof value === 'object' || typeof value === 'boolean') return null;
  const number = decimalOf(value);
  if (!number) return null;
  let found: Threshold | null = null;
  for (const threshold of view.thresholds) {
    if (threshold.column !== column || number.lt(threshold.from)) continue;
    if (!found || new Decimal(threshold.from).gte(found.from)) found = threshold;
  }
  return found;
}

/** What a total holds: as its column does; averages have four places, counts are whole. */
export function totalType(kind: TotalKind, type: ValueType): ValueType {
  if (kind === 'count') return { kind: 'whole' };
  if (kind === 'average') return averageType(type);
  return type.kind === 'decimal' && kind === 'sum' ? { ...type, precision: 38 } : type;
}

/** The totals that make sense for a type. */
export function totalsFor(type: ValueType): TotalKind[] {
  if (isAmount(type)) return [...totalKinds];
  return ['date', 'time', 'date_time'].includes(type.kind)
    ? ['least', 'greatest', 'count']
    : ['count'];
}

/** A total over values in canonical form; `null` where there is nothing to work it out of. */
export function totalOf(kind: TotalKind, type: ValueType, values: readonly Value[]): Value {
  const given = values.filter((value) => value !== null);
  if (kind === 'count') return given.length;
  if (!isAmount(type)) {
    const sorted = given.map(String).sort();
    return (kind === 'least' ? sorted[0] : sorted.at(-1)) ?? null;
  }
  const numbers = given.flatMap((value) => amountOf(type, value) ?? []);
  if (numbers.length === 0)
    return kind === 'sum' ? valueOfAmount(totalType(kind, type), zero) : null;
  const sum = () => numbers.reduce((a, b) => a.plus(b), zero);
  const results = {
    sum,
    average: () => sum().div(numbers.length),
    least: () => Decimal.min(...numbers),
    greatest: () => Decimal.max(...numbers),
  };
  return valueOfAmount(totalType(kind, type), results[kind]());
}

/** Rows with the same value of the grouping column, in the order in which the values come. */
export function groupsOf<T>(
  rows: readonly T[],
  valueOf: (row: T) => Value,
): { value: Value; rows: T[] }[] {
  const groups: { value: Value; rows: T[] }[] = [];
  const known = new Map<string, T[]>();
  for (const row of rows) {
    const value = valueOf(row);
    const name = JSON.stringify(value);
    const group = known.get(name);
    if (group) group.push(row);
    else {
      const made = [row];
      known.set(name, made);
      groups.push({ value, rows: made });
    }
  }
  return groups;
}

/** What is summed and marked in a grid: by the named view of its table, if it uses one, and by its own. */
export function gridView(
  views: readonly NamedView[] | undefined,
  { view, totals, thresholds }: { view: string | null } & Pick<View, 'totals' | 'thresholds'>,
): View {
  const named = views?.find(({ key }) => key === view) ?? plainView;
  const more = totals.filter(
    (one) => !named.totals.some(({ column, kind }) => column === one.column && kind === one.kind),
  );
  return {
    ...named,
    totals: [...named.totals, ...more],
    thresholds: [...named.thresholds, ...thresholds],
  };
}

/** Whether two views show the same in the same way. */
export function sameView(a: View, b: View): boolean {
  return JSON.stringify(viewSchema.parse(plain(a))) === JSON.stringify(viewSchema.parse(plain(b)));
}

/** A view without its name. */
export function plain({ filter, sort, group, totals, thresholds }: View): View {
  return { filter, sort, group, totals, thresholds };
}

/** A view whose columns go by other keys; `null` for one that is gone. */
export function renamedView<V extends View>(view: V, named: (key: string) => string | null): V {
  const path = (written: string) => {
    const [first = '', ...rest] = written.split('.');
    const renamed = named(first);
    return renamed === null ? null : [renamed, ...rest].join('.');
  };
  const kept = <T extends object>(list: readonly T[], key: keyof T & ('path' | 'column')) =>
    list.flatMap((one) => {
      const to = path(String(one[key]));
      return to === null ? [] : [{ ...one, [key]: to }];
    });
  return {
    ...view,
    filter: kept(view.filter, 'path'),
    sort: kept(view.sort, 'path'),
    group: view.group === null ? null : named(view.group),
    totals: kept(view.totals, 'column'),
    thresholds: kept(view.thresholds, 'column'),
  };
}

const zero = new Decimal(0);

function decimalOf(value: string | number): Decimal | null {
  try {
    return new Decimal(value);
  } catch {
    return null;
  }
}
