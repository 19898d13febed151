import { z } from 'zod';
import type { Condition, Order } from '$lib/core/table/conditions';
import { columnOf, type House, type Table } from '$lib/core/table/definition';
import {
  mostOpenGroups,
  plainView,
  viewSchema,
  type GroupRow,
  type View,
} from '$lib/core/table/view';
import { scalarSchema, type Value } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { parsedParameter } from '../respond';
import { picturedRecords } from './pictured';
import { readRecords, shownRecords } from './read';
import { readTotals, type TotalRow } from './totals';

/** At most so many groups are told. */
const mostGroups = 200;

/** Which groups stand open, each from where on. */
const openSchema = z
  .array(z.strictObject({ value: scalarSchema, after: z.string().max(2000).nullable() }))
  .max(mostOpenGroups);
export type OpenGroups = z.infer<typeof openSchema>;

/** How a table is looked at, as an address says; what it leaves out is as the named view says, if it names one. */
export function viewFrom(url: URL, table: Table): View {
  const { shape } = viewSchema;
  const named = table.views?.find((kept) => kept.key === url.searchParams.get('view'));
  const given = named ?? plainView;
  const group = url.searchParams.get('group') ?? given.group;
  return {
    filter: parsedParameter(url, 'filter', shape.filter, given.filter),
    sort: parsedParameter(url, 'sort', shape.sort, given.sort),
    group: columnOf(table, group ?? '')?.key ?? null,
    groupOrder: parsedParameter(url, 'order', shape.groupOrder, given.groupOrder),
    columns: parsedParameter(url, 'columns', shape.columns, given.columns),
    picture: parsedParameter(url, 'picture', shape.picture, given.picture),
    totals: parsedParameter(url, 'totals', shape.totals, given.totals),
    thresholds: parsedParameter(url, 'marks', shape.thresholds, given.thresholds),
  };
}

/** The groups that an address opens; `null` where it leaves that to us. */
export function openFrom(url: URL): OpenGroups | null {
  return parsedParameter(url, 'open', openSchema.nullable(), null);
}

interface Looked {
  view: View;
  search: string;
  after: string | undefined;
  /** So many records stand on a page. */
  limit: number;
  open: OpenGroups | null;
}

/** A page of a table is waited for longer than a list that opens while somebody types. Milliseconds. */
const patience = 1000;

/**
 * What a table shows under a view: a page of its records, or its groups with the records of those that are
 * open. Where nobody said which are open, as many are as fit on a page.
 */
export async function lookAt(db: Database, tables: House, table: Table, looked: Looked) {
  const { view, search, after, limit } = looked;
  const { filter, sort, group } = view;
  const totals = await readTotals(db, tables, table, { ...view, search, most: mostGroups });
  const pictured = view.picture
    ? await picturedRecords(db, tables, table, { filter, search, picture: view.picture })
    : null;
  if (group === null) {
    const wish = { filter, sort, search, after, limit, patience };
    const page = await readRecords(db, tables, table, wish);
    return { page, pictured, totals: { all: totals.all, groups: [] as GroupRow[], more: false } };
  }
  const open = looked.open ?? fittingGroups(totals.groups, limit);
  const lines = await groupLines(db, tables, table, group, totals.groups);
  const records = [];
  const groups: GroupRow[] = [];
  for (const row of totals.groups) {
    const opened = open.find(({ value }) => value === row.value);
    const common = { ...row, shown: lines.get(row.value) ?? null };
    if (!opened) {
      groups.push({ ...common, open: false, begins: null, next: null, shows: 0 });
      continue;
    }
    const own: Condition = {
      path: group,
      ...(row.value === null
        ? { operator: 'empty', values: [] }
        : { operator: 'equal', values: [row.value as string | number | boolean] }),
    };
    const within: Order[] = sort.filter(({ path }) => path !== group);
    const page = await readRecords(db, tables, table, {
      ...{ filter: [...filter, own], sort: within, search, limit, patience, counts: false },
      after: opened.after ?? undefined,
    });
    records.push(...page.records);
    const shows = page.records.length;
    groups.push({ ...common, open: true, begins: opened.after, next: page.next, shows });
  }
  const total = totals.all?.records ?? 0;
  return {
    page: { records, next: null, total, more: false },
    pictured,
    totals: { all: totals.all, groups, more: totals.more },
  };
}

/** The first groups, as long as their records fit on a page; the first one always. */
function fittingGroups(groups: readonly TotalRow[], limit: number): OpenGroups {
  let left = limit;
  const open: OpenGroups = [];
  for (const { value, records } of groups.slice(0, mostOpenGroups)) {
    if (open.length > 0 && records > left) break;
    open.push({ value: value as OpenGroups[number]['value'], after: null });
    left -= records;
  }
  return open;
}

/** The records by which records are grouped, in one line each. */
async function groupLines(
  db: Database,
  tables: House,
  table: Table,
  group: string,
  groups: readonly TotalRow[],
): Promise<Map<Value, string>> {
  const type = columnOf(table, group)?.type;
  const to = type?.kind === 'reference' ? tables.get(type.table) : undefined;
  if (!to) return new Map();
  const ids = groups.flatMap(({ value }) => (typeof value === 'number' ? [value] : []));
  return shownRecords(db, db.knex, tables, to, ids);
}
