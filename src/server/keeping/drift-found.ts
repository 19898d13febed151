import { driftKinds, type DriftKind } from '$lib/core/entry/drift';
import type { Plan } from '$lib/core/plan/schema';
import { columnOf, type Column, type House } from '$lib/core/table/definition';
import { formatValue } from '$lib/core/values/format';
import type { Value } from '$lib/core/values/types';
import { reader } from '$lib/core/words/reader';
import { loadDraft, loadEdition } from '../catalog/forms';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { parseJson } from '../database/json';
import { rowsOf } from '../database/rows';
import { shownRecords } from '../records/read';
import type { DriftRun } from './drift';

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
}

/** What a run has found, by kind and field, the most first; only of records that whoever asks sees. */
export async function driftFound(db: Database, house: House, run: DriftRun): Promise<FoundGroup[]> {
  const plan = await planOf(db, run);
  const rows = await rowsOf(
    db.knex,
    `select kind, grid, field, message, count(distinct record) as records, count(*) as n,
       sum(now is null) as blind
     from \`${db.catalog}\`.drift_found where run = ? and not mended
     group by kind, grid, field, message order by records desc limit 200`,
    [run.id],
  );
  const groups: FoundGroup[] = [];
  for (const row of rows) {
    const at = { grid: String(row.grid), field: String(row.field), message: String(row.message) };
    const kind = driftKinds.find((one) => one === row.kind) ?? 'check';
    groups.push({
      ...{ ...at, kind, label: labelIn(plan, at.grid, at.field) },
      ...{
        table: tableIn(plan, at.grid),
        column: columnIn(house, plan, at.grid, at.field) ?? null,
      },
      ...{ records: Number(row.records), findings: Number(row.n), takes: Number(row.blind) === 0 },
      ...(await examplesOf(db, house, run, plan, { ...at, kind })),
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
  const all = await found(db, run, wish).orderBy('id').limit(mostIds);
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

export const founds = (db: Database) => db.knex('drift_found').withSchema(db.catalog);

export function found(db: Database, run: DriftRun, { kind, grid, field, message }: FoundWish) {
  return founds(db).where({ run: run.id, mended: false, kind, grid, field, message });
}

/** A value as a finding holds it; `undefined` where it holds none. */
export function valueIn(json: unknown): Value | undefined {
  return json === null ? undefined : (parseJson(json) as { is: Value }).is;
}

export async function planOf(db: Database, { form, edition }: DriftRun): Promise<Plan> {
  return (await (edition === 0 ? loadDraft(db, form) : loadEdition(db, form, edition))).plan;
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
