import { say } from '$lib/core/words/say';
import { reader } from '$lib/core/words/reader';
import type { Condition } from '$lib/core/table/conditions';
import { columnOf, type Column, type House, type Table } from '$lib/core/table/definition';
import type { Picture, Pictured } from '$lib/core/table/view';
import { formatValue } from '$lib/core/values/format';
import {
  everyMonth,
  mostBars,
  mostMonths,
  pictureKind,
  spreadPicture,
} from '$lib/core/table/pictured';
import type { Counts } from '$lib/core/values/spread';
import { severalIn, type Scalar } from '$lib/core/values/types';
import { rowsOf } from '../database/rows';
import type { Database } from '../database/connection';
import { TableQuery } from './query';
import { shownRecords } from './read';
import { fitting, totalSql } from './totals';
import { fromDatabase } from './values';

/** So many different numbers are taken as they are; more lie in as many bins as `fineBins` first. */
const [mostNumbers, fineBins] = [20_000, 1000];

/**
 * What a picture of records shows: numbers by where they lie, days by month, everything else value by value.
 * With a total, that total stands for how many there are. `null` where its column is gone, or holds several.
 */
export async function picturedRecords(
  db: Database,
  tables: House,
  table: Table,
  wish: { filter: readonly Condition[]; search: string; picture: Picture },
): Promise<Pictured | null> {
  const column = columnOf(table, wish.picture.by);
  if (!column || severalIn(column.type)) return null;
  const query = new TableQuery(db, tables, table);
  const where = await fitting(db, tables, table, query, wish);
  const { sql: by } = query.column(column.key);
  const total = wish.picture.total;
  const measure = total && columnOf(table, total.column) ? totalSql(query, total) : 'count(*)';
  const read = (select: string, tail: string, and = 'true') =>
    rowsOf(
      db.knex,
      `select ${select} ${query.from()} where ${where.sql} and ${and} ${tail}`,
      where.bindings,
    );
  const kind = pictureKind(column.type, total !== null);
  if (kind === 'spread') {
    const given = `${by} is not null`;
    const rows = await read(
      `${by} as x, count(*) as n`,
      `group by 1 order by 1 limit ${mostNumbers + 1}`,
      given,
    );
    if (rows.length <= mostNumbers) return spreadPicture(rows.map(counted));
    const [ends] = await read(`min(${by}) as low, max(${by}) as high`, '', given);
    const [low, high] = [Number(ends?.low), Number(ends?.high)];
    const step = (high - low) / fineBins;
    const place = `${low} + ${step} * (floor((${by} - ${low}) / ${step}) + 0.5)`;
    return spreadPicture(
      (await read(`${place} as x, count(*) as n`, 'group by 1 order by 1', given)).map(counted),
    );
  }
  if (kind === 'months') {
    const rows = await read(
      `date_format(${by}, '%Y-%m') as month, ${measure} as n`,
      `group by 1 order by 1 desc limit ${mostMonths}`,
      `${by} is not null`,
    );
    const found = rows.map(({ month, n }) => ({ month: String(month), n: Number(n ?? 0) }));
    return { kind: 'months', months: everyMonth(found.reverse()) };
  }
  const rows = await read(
    `${by} as x, ${measure} as n`,
    `group by ${by} order by n desc, x limit ${mostBars + 1}`,
  );
  const values = rows
    .slice(0, mostBars)
    .map(({ x, n }) => ({ value: fromDatabase(column.type, x) as Scalar, n: Number(n ?? 0) }));
  const labels = await labelsOf(db, tables, column, values);
  const [counts] = rows.length > mostBars ? await read(`count(distinct ${by}) as n`, '') : [];
  return {
    kind: 'bars',
    bars: values.map(({ value, n }, i) => ({ value, n, label: labels[i] ?? '' })),
    others: counts ? Math.max(0, Number(counts.n) - mostBars) : 0,
  };
}

const counted = ({ x, n }: Record<string, unknown>): Counts => ({
  ...{ number: Number(x), n: Number(n) },
});

async function labelsOf(
  db: Database,
  tables: House,
  { label, type }: Column,
  values: readonly { value: Scalar }[],
): Promise<string[]> {
  const to = type.kind === 'reference' ? tables.get(type.table) : undefined;
  const ids = values.flatMap(({ value }) => (to && typeof value === 'number' ? [value] : []));
  const lines = to ? await shownRecords(db, db.knex, tables, to, ids) : null;
  return values.map(({ value }) => {
    if (value === null) return say(`without ${label}`);
    return lines?.get(Number(value)) ?? formatValue(type, value, reader());
  });
}
