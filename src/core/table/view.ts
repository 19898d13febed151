import { amountOf, averageType, valueOfAmount } from '../values/amount';
import { Decimal } from '../formula/feel';
import { z } from 'zod';
import { isAmount, type Scalar, type Value, type ValueType } from '../values/types';
import type { Spread } from '../values/spread';
import { conditionSchema, orderSchema, type Order } from './conditions';

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

/** In which order groups stand: by their value, by how many they are, or by the first total of the view. */
export const groupOrders = ['value', 'value_down', 'most', 'fewest', 'greatest', 'least'] as const;
export type GroupOrder = (typeof groupOrders)[number];

/** A column that is shown, with its width in pixels where it was set. */
export const viewColumnSchema = z.strictObject({
  column: columnKey,
  width: z.number().int().min(48).max(1200).nullable().default(null),
});
export type ViewColumn = z.infer<typeof viewColumnSchema>;

/** The picture beside the records: how many there are by the values of a column, or a total of them. */
export const pictureSchema = z.strictObject({
  by: columnKey,
  total: totalSchema.nullable().default(null),
});
export type Picture = z.infer<typeof pictureSchema>;

/** How records are looked at, in a table as in a grid: which, in which order, grouped, summed, marked. */
export const viewSchema = z.strictObject({
  filter: z.array(conditionSchema).max(20).default([]),
  sort: z.array(orderSchema).max(4).default([]),
  /** The column whose values make groups. */
  group: columnKey.nullable().default(null),
  groupOrder: z.enum(groupOrders).default('value'),
  /** The columns that are shown, in order; all of the table's where it is `null`. */
  columns: z.array(viewColumnSchema).min(1).max(200).nullable().default(null),
  picture: pictureSchema.nullable().default(null),
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
  const own = view.thresholds.filter((threshold) => threshold.column === column);
  const number = own.length > 0 ? decimalOf(value) : null;
  if (!number) return null;
  let found: Threshold | null = null;
  for (const threshold of own) {
    if (number.lt(threshold.from)) continue;
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

/** What is summed, marked and drawn in a grid: by the named view of its table, if it uses one, and by its own. */
export function gridView(
  views: readonly NamedView[] | undefined,
  grid: { view: string | null } & Pick<View, 'totals' | 'thresholds' | 'picture'>,
): View {
  const { view, totals, thresholds, picture } = grid;
  const named = views?.find(({ key }) => key === view) ?? plainView;
  const more = totals.filter(
    (one) => !named.totals.some(({ column, kind }) => column === one.column && kind === one.kind),
  );
  return {
    ...named,
    picture: picture ?? named.picture,
    totals: [...named.totals, ...more],
    thresholds: [...named.thresholds, ...thresholds],
  };
}

/** So many groups stand open at once. */
export const mostOpenGroups = 20;

/** A group of records as it is shown: its value in words where it is a record, its totals by their place. */
export interface GroupRow {
  value: Value;
  shown: string | null;
  records: number;
  totals: readonly Value[];
  /** Whether its records are shown, from which on (its first where it is `null`), and what comes next. */
  open: boolean;
  begins: string | null;
  next: string | null;
  /** How many of its records stand on the page. */
  shows: number;
}

/** A picture of records, worked out: by a value, over time, or how numbers are spread. */
export type Pictured =
  | { kind: 'bars'; bars: readonly PicturedBar[]; others: number }
  | { kind: 'months'; months: readonly { month: string; n: number }[] }
  | { kind: 'spread'; spread: Spread; bins: readonly { from: number; to: number; n: number }[] };

/** A value of a column with how many records have it, or with their total. */
export interface PicturedBar {
  value: Scalar;
  label: string;
  n: number;
}

/** Whether two views show the same in the same way. */
export function sameView(a: View, b: View): boolean {
  return JSON.stringify(viewSchema.parse(plain(a))) === JSON.stringify(viewSchema.parse(plain(b)));
}

/** A view without its name. */
export function plain(view: View): View {
  const { filter, sort, group, groupOrder, columns, picture, totals, thresholds } = view;
  return { filter, sort, group, groupOrder, columns, picture, totals, thresholds };
}

/** The order of records under a view: those of a group stand together. */
export function sortOf({ sort, group }: Pick<View, 'sort' | 'group'>): Order[] {
  const grouped = group === null ? [] : [{ path: group, descending: false }];
  return [...grouped, ...sort.filter(({ path }) => path !== group)];
}

/** The columns of a table that a view shows, in its order; all where none of them is there any more. */
export function columnsShown<C extends { key: string }>(
  columns: readonly C[],
  view: Pick<View, 'columns'>,
): readonly C[] {
  const shown = (view.columns ?? []).flatMap(
    ({ column }) => columns.find(({ key }) => key === column) ?? [],
  );
  return shown.length > 0 ? shown : columns;
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
    columns: some(view.columns === null ? [] : kept(view.columns, 'column')),
    picture: pictureOf(view.picture, kept),
    totals: kept(view.totals, 'column'),
    thresholds: kept(view.thresholds, 'column'),
  };
}

const some = <T>(list: readonly T[]): T[] | null => (list.length > 0 ? [...list] : null);

function pictureOf(
  picture: Picture | null,
  kept: (list: readonly Total[], key: 'column') => Total[],
): Picture | null {
  if (!picture) return null;
  const [by] = kept([{ column: picture.by, kind: 'count' }], 'column');
  const total = picture.total ? (kept([picture.total], 'column')[0] ?? null) : null;
  return by ? { by: by.column, total } : null;
}

const zero = new Decimal(0);

function decimalOf(value: string | number): Decimal | null {
  try {
    return new Decimal(value);
  } catch {
    return null;
  }
}
