import { binned, edgesOf, spreadOf, type Counts } from '../values/spread';
import { isNumeric, severalIn, type Scalar, type Value, type ValueType } from '../values/types';
import { groupsOf, totalOf, totalType, type Pictured, type TotalKind } from './view';
import { amountOf } from '../values/amount';

/** At most so many values have a bar of their own, and so many months a point. */
export const [mostBars, mostMonths] = [30, 600] as const;

/** How a picture of a type is drawn, with a total or of how many there are. */
export type PictureKind = Pictured['kind'];

/** What a picture shows: numbers by where they lie, days by month, everything else value by value. */
export function pictureKind(type: ValueType, totalled: boolean): PictureKind {
  if (isNumeric(type) && !totalled) return 'spread';
  return type.kind === 'date' || type.kind === 'date_time' ? 'months' : 'bars';
}

/** What is measured of each part of a picture: a total of a column of its rows. */
export interface Measure<R> {
  kind: TotalKind;
  type: ValueType;
  valueOf: (row: R) => Value;
}

/**
 * A picture of rows that are at hand, as the database would make it of records: by the values of a column, in
 * canonical form. `null` where the column holds several values.
 */
export function picturedRows<R>(
  rows: readonly R[],
  by: { type: ValueType; valueOf: (row: R) => Value; labelOf: (row: R, value: Scalar) => string },
  measure: Measure<R> | null,
): Pictured | null {
  if (severalIn(by.type)) return null;
  const kind = pictureKind(by.type, measure !== null);
  const measured = (part: readonly R[]) => (measure ? totalled(part, measure) : part.length);
  if (kind === 'spread') {
    const groups = groupsOf(rows, by.valueOf).filter(({ value }) => value !== null);
    const counts = groups.map(({ value, rows: { length: n } }) => ({ number: Number(value), n }));
    return spreadPicture(counts.sort((a, b) => a.number - b.number));
  }
  if (kind === 'months') {
    const given = rows.filter((row) => by.valueOf(row) !== null);
    const found = groupsOf(given, (row) => monthOf(by.valueOf(row)))
      .map(({ value, rows: part }) => ({ month: String(value), n: measured(part) }))
      .sort((a, b) => (a.month < b.month ? -1 : 1));
    return { kind, months: everyMonth(found.slice(-mostMonths)) };
  }
  const bars = groupsOf(rows, by.valueOf)
    .flatMap(({ value, rows: part }) => {
      const [first] = part;
      if (!first) return [];
      const one = value as Scalar;
      return [{ value: one, n: measured(part), label: by.labelOf(first, one) }];
    })
    .sort((a, b) => b.n - a.n);
  return { kind, bars: bars.slice(0, mostBars), others: Math.max(0, bars.length - mostBars) };
}

/** The place of the part of a picture in which a value stands; -1 for one that is not drawn. */
export function partOf(pictured: Pictured, value: Value): number {
  if (pictured.kind === 'bars') return pictured.bars.findIndex((bar) => bar.value === value);
  if (value === null) return -1;
  if (pictured.kind === 'months') {
    const month = monthOf(value);
    return pictured.months.findIndex((one) => one.month === month);
  }
  const edges = [...pictured.bins.map(({ from }) => from), pictured.bins.at(-1)?.to ?? 0];
  const [place = -1] = binned([{ number: Number(value), n: 1 }], edges).keys();
  return place;
}

/** How numbers are spread, in as many bins as can be read; in the order of the numbers. */
export function spreadPicture(counts: readonly Counts[]): Pictured {
  const spread = spreadOf(counts);
  const edges = counts.length > 0 ? edgesOf(Number(spread.least), Number(spread.greatest)) : [];
  const found = binned(counts, edges);
  const bins = edges.slice(0, -1).map((from, i) => {
    return { from, to: edges[i + 1] ?? from, n: found.get(i) ?? 0 };
  });
  return { kind: 'spread', spread, bins };
}

/** Months without records stand between those with some, which come in order; at most the last `mostMonths`. */
export function everyMonth(found: readonly { month: string; n: number }[]) {
  const known = new Map(found.map(({ month, n }) => [month, n]));
  const [first, last] = [found[0]?.month, found.at(-1)?.month];
  const months: { month: string; n: number }[] = [];
  if (!first || !last) return months;
  for (let at = last; at >= first && months.length < mostMonths; at = monthBefore(at)) {
    months.push({ month: at, n: known.get(at) ?? 0 });
  }
  return months.reverse();
}

const monthOf = (value: Value) => String(value).slice(0, 7);

function monthBefore(month: string): string {
  const [year = 0, number = 1] = month.split('-').map(Number);
  const [y, m] = number === 1 ? [year - 1, 12] : [year, number - 1];
  return `${String(y).padStart(4, '0')}-${String(m).padStart(2, '0')}`;
}

function totalled<R>(rows: readonly R[], { kind, type, valueOf }: Measure<R>): number {
  const total = totalOf(kind, type, rows.map(valueOf));
  const amount = total === null ? undefined : amountOf(totalType(kind, type), total);
  return Number(amount ?? 0);
}
