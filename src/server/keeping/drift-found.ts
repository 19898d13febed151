import { driftKinds, type DriftKind } from '$lib/core/entry/drift';
import type { Plan } from '$lib/core/plan/schema';
import { columnOf, type Column, type House } from '$lib/core/table/definition';
import { formatValue } from '$lib/core/values/format';
import type { Value } from '$lib/core/values/types';
import { reader } from '$lib/core/words/reader';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { parseJson } from '../database/json';
import { momentOf } from '../database/moments';
import { rowsOf } from '../database/rows';
import { shownRecords } from '../records/read';
import { leftOn, leftSql, planOf, type DriftRun } from './drift';

/** A kind of finding at a field: how many there are, and the first of them. */
export interface FoundGroup {
  kind: DriftKind;
  grid: string;
  field: string;
  /** The field as its form calls it, with its grid. */
  label: string;
  message: string;
  /** Where it stands in the house: its table, and the column that it saves to, as far as they are seen. */
  table: string;
  column: Column | null;
  records: number;
  findings: number;
  /** By whom and when they were left as they are; `null` where they are to be looked at. */
  left: { by: string; at: string } | null;
  /** Whether what would come out today is known of all of them. */
  takes: boolean;
  examples: { record: number; named: string; value: string; now: string | null }[];
  /** The records concerned that are seen, as many as a filter names. */
  ids: number[];
}

/** So many findings of a group are shown. */
const mostExamples = 20;
/** So many records are named in the address of a table. */
const mostIds = 200;

/** Which findings are meant. */
export interface FoundWish {
  kind: DriftKind;
  grid: string;
  field: string;
  message: string;
  /** Whether those are meant that were left as they are; otherwise the others. */
  left?: boolean;
}

/** What a run has found, by kind and field, the most first; only of records that whoever asks sees. */
export async function driftFound(db: Database, house: House, run: DriftRun): Promise<FoundGroup[]> {
  const plan = await planOf(db, run);
  const c = `\`${db.catalog}\``;
  const rows = await rowsOf(
    db.knex,
    `select f.kind, f.grid, f.field, f.message, count(distinct f.record) as records, count(*) as n,
       sum(f.now is null) as blind, l.finding is not null as is_left,
       max(l.by_person) as left_by, max(l.left_at) as left_at
     from ${c}.drift_found f
     left join ${c}.drift_left l on ${leftOn}
     where f.run = ?
     group by f.kind, f.grid, f.field, f.message, is_left order by is_left, records desc limit 200`,
    [run.form, run.id],
  );
  const groups: FoundGroup[] = [];
  for (const row of rows) {
    const at = { grid: String(row.grid), field: String(row.field), message: String(row.message) };
    const isLeft = Number(row.is_left) === 1;
    const kind = driftKinds.find((one) => one === row.kind) ?? 'check';
    groups.push({
      ...{ ...at, kind, label: labelIn(plan, at.grid, at.field) },
      ...{
        table: tableIn(plan, at.grid),
        column: columnIn(house, plan, at.grid, at.field) ?? null,
      },
      ...{ records: Number(row.records), findings: Number(row.n), takes: Number(row.blind) === 0 },
      left: isLeft ? { by: String(row.left_by), at: momentOf(row.left_at) } : null,
      ...(await examplesOf(db, house, run, plan, { ...at, kind, left: isLeft })),
    });
  }
  return groups;
}

async function examplesOf(
  db: Database,
  house: House,
  run: DriftRun,
  plan: Plan,
  wish: FoundWish,
): Promise<Pick<FoundGroup, 'examples' | 'ids'>> {
  const all = await found(db, run, wish).orderBy('f.id').limit(mostIds).select('f.*');
  const rows = all.slice(0, mostExamples);
  const table = tableFrom(house, plan.table);
  const names = await shownRecords(
    db,
    db.knex,
    house,
    table,
    all.map((row) => Number(row.record)),
  );
  const said = await sayer(db, house, plan, wish, rows);
  const examples = rows.flatMap((row) => {
    const named = names.get(Number(row.record));
    const now = valueIn(row.now);
    // A record out of sight is told to nobody.
    return named === undefined
      ? []
      : [
          {
            ...{ record: Number(row.record), named, value: said(valueIn(row.value) ?? null) },
            now: now === undefined ? null : said(now),
          },
        ];
  });
  return { examples, ids: [...names.keys()] };
}

/** How values of a field are said; records in one line. */
export async function sayer(
  db: Database,
  house: House,
  plan: Plan,
  { grid, field }: Pick<FoundWish, 'grid' | 'field'>,
  rows: readonly Record<string, unknown>[],
  /** Values besides those of the findings. */
  more: readonly Value[] = [],
): Promise<(value: Value) => string> {
  const column = columnIn(house, plan, grid, field);
  if (column?.type.kind !== 'reference') {
    return (value) => (column && value !== null ? formatValue(column.type, value, reader()) : '–');
  }
  const ids = [...rows.flatMap((row) => [valueIn(row.value), valueIn(row.now)]), ...more].flatMap(
    (id) => (typeof id === 'number' ? [id] : []),
  );
  const lines = await shownRecords(db, db.knex, house, tableFrom(house, column.type.table), ids);
  return (value) => (value === null ? '–' : (lines.get(Number(value)) ?? '–'));
}

/** The findings `f` of a run that are meant. */
export function found(
  db: Database,
  run: DriftRun,
  { kind, grid, field, message, left = false }: FoundWish,
) {
  return db
    .knex('drift_found as f')
    .withSchema(db.catalog)
    .where({ 'f.run': run.id, 'f.kind': kind, 'f.grid': grid, 'f.field': field })
    .where('f.message', message)
    .whereRaw(`${left ? '' : 'not '}${leftSql(db)}`, [run.form]);
}

/** A value as a finding holds it; `undefined` where it holds none. */
export function valueIn(json: unknown): Value | undefined {
  return json === null ? undefined : (parseJson(json) as { is: Value }).is;
}

const sectionsIn = (plan: Plan, grid: string) =>
  plan.sections.filter((section) => (section.grid ? section.key : '') === grid);

export function tableIn(plan: Plan, grid: string): string {
  return sectionsIn(plan, grid)[0]?.grid?.table ?? plan.table;
}

export function columnIn(house: House, plan: Plan, grid: string, key: string) {
  const field = sectionsIn(plan, grid)
    .flatMap(({ fields }) => fields)
    .find((one) => one.key === key);
  const table = house.get(tableIn(plan, grid));
  return table && field?.savesTo ? columnOf(table, field.savesTo) : undefined;
}

function labelIn(plan: Plan, grid: string, key: string): string {
  const section = sectionsIn(plan, grid).find(({ fields }) => fields.some((f) => f.key === key));
  const field = section?.fields.find((one) => one.key === key);
  const label = field?.label ?? key;
  return section?.grid ? `${section.title}: ${label}` : label;
}

/** The table in which findings of a grid stand. */
export async function tableOfRun(db: Database, run: DriftRun, grid: string): Promise<string> {
  return tableIn(await planOf(db, run), grid);
}
