import { randomBytes } from 'node:crypto';
import type { Knex } from 'knex';
import { fail, ProblemError } from '$lib/core/problems';
import {
  tableSchema,
  type Column,
  type House,
  type Table,
  type TableIndex,
} from '$lib/core/table/definition';
import { tableProblems } from '$lib/core/table/definition-problems';
import { namedConnectionSchema, querySchema, systemOf } from '$lib/core/outside/query';
import { optionListSchema } from '$lib/core/table/option-list';
import { tablesWith } from '$lib/core/table/sources';
import type { NamedView } from '$lib/core/table/view';
import { keptColumns } from '$lib/core/table/links';
import type { Database, Runner } from '../database/connection';
import { lackingIndex, largeFrom, standsBeside, type WantedIndex } from '$lib/core/plan/indexes';
import { addColumn, createIndex, createTable, createWords, tableSql } from '../database/ddl';
import {
  bumpCatalog,
  changeStructure,
  dropLoading,
  importLease,
  structuring,
} from '../database/structure';
import { parseJson } from '../database/json';
import { takeLease } from '../database/lease';
import { rowsOf } from '../database/rows';

let cached: { revision: string; catalog: string; tables: House } | null = null;

/**
 * All tables that are ready, by key; kept in memory until the catalog changes in any process. `known` is its revision,
 * where the caller has just read it.
 */
export async function loadTables(
  db: Database,
  runner: Runner = db.knex,
  known?: string,
): Promise<House> {
  const revision = known ?? (await revisionOf(db, runner));
  if (cached?.revision === revision && cached.catalog === db.catalog) return cached.tables;
  const rows = await runner('table_def')
    .withSchema(db.catalog)
    .where({ state: 'ready' })
    .orderBy('table_key')
    .select('definition');
  const kept = (rows as { definition: unknown }[]).map((row) =>
    tableSchema.parse(parseJson(row.definition)),
  );
  const listed = await runner('option_list').withSchema(db.catalog).select('definition');
  const lists = (listed as { definition: unknown }[]).map((row) =>
    optionListSchema.parse(parseJson(row.definition)),
  );
  const asked = await runner('query').withSchema(db.catalog).select('definition');
  const queries = (asked as { definition: unknown }[]).map((row) =>
    querySchema.parse(parseJson(row.definition)),
  );
  const reached = await runner('connection').withSchema(db.catalog).select('definition');
  const systems = (reached as { definition: unknown }[]).map((row) =>
    systemOf(namedConnectionSchema.parse(parseJson(row.definition))),
  );
  const tables = tablesWith({ tables: kept, lists, queries, systems });
  cached = { revision, catalog: db.catalog, tables };
  return tables;
}

async function revisionOf(db: Database, runner: Runner): Promise<string> {
  const setting = await runner('setting')
    .withSchema(db.catalog)
    .where({ name: 'catalog_revision' })
    .first('value');
  return String(setting?.value);
}

/** At which revision of the catalog this process has read its tables last. */
export async function revisionRead(db: Database): Promise<string> {
  if (cached?.catalog !== db.catalog) await loadTables(db);
  return cached?.revision ?? '';
}

/** A table as this process has read it last, with all that is out of anybody's sight; asks nothing where it knows. */
export async function lastKnown(
  db: Database,
  runner: Runner,
  key: string,
): Promise<Table | undefined> {
  const known = cached?.catalog === db.catalog ? cached.tables : await loadTables(db, runner);
  return known.get(key);
}

/** The table with this key; fails with 404. */
export function tableFrom(tables: House, key: string): Table {
  return tables.get(key) ?? fail('unknown_table', { table: key }, 404);
}

/** The designer's column of a table with this key; fails with 404. */
export function ownColumn(table: Table, key: string): Column {
  const column = table.columns.find((c) => c.key === key);
  return column ?? fail('unknown_column', { table: table.title, column: key }, 404);
}

/** The house with tables that are about to come in. */
export function withTables(house: House, beside: readonly Table[]): House {
  return tablesWith({
    tables: [...house.values(), ...beside],
    lists: [...house.lists.values()],
    queries: [...house.queries.values()],
    systems: [...house.systems.values()],
    typed: [...house.typed],
  });
}

/** Makes an empty table. Fails with everything that is wrong with the definition. */
export async function makeTable(
  db: Database,
  table: Table,
  by: string,
  goal: 'loading' | 'ready' = 'ready',
  /** Tables that come in together with it, to which it may refer. */
  beside: readonly Table[] = [],
): Promise<void> {
  return structuring(db, async () => {
    const known = await loadTables(db);
    const tables = beside.length > 0 ? withTables(known, beside) : known;
    refuseProblems(table, tables);
    const there = await db
      .knex('table_def')
      .withSchema(db.catalog)
      .where({ table_key: table.key })
      .first('state');
    if (there) {
      // What an import has left behind gives way; what is loading, or ready, does not.
      const cutOff = goal === 'ready' && there.state === 'loading';
      const lease = cutOff ? await takeLease(db, importLease(table.key)) : null;
      if (!lease) fail('table_exists', { table: table.key }, 409, 'key');
      await dropLoading(db, table.key, by);
      await lease.end();
    }
    const later = table.columns.filter(({ type }) => type.kind === 'references');
    const last = later.at(-1);
    const loading = { ...table, columns: keptColumns(table) };
    const first = last ? loading : table;
    const statement = createTable(db, loading);
    const made = { table: table.key, by };
    await changeStructure(db, { ...made, statement, after: first, goal: last ? 'loading' : goal });
    // Links refer to the table itself, so they can only come after it; it is there with all of them, or not at all.
    for (const column of later) {
      const statement = addColumn(db, table, column);
      const [after, to] = column === last ? [table, goal] : [loading, 'loading' as const];
      loading.columns = [...loading.columns, column];
      await changeStructure(db, { ...made, statement, after, goal: to });
    }
  });
}

/** Marks a loaded table as ready, in the transaction that loaded it. */
export async function readyTable(db: Database, trx: Knex.Transaction, key: string): Promise<void> {
  await trx('table_def')
    .withSchema(db.catalog)
    .where({ table_key: key })
    .update({ state: 'ready' });
  await bumpCatalog(db, trx);
}

/** Adds a column at the end. A required one is refused while there are records. */
export async function addTableColumn(
  db: Database,
  key: string,
  column: Column,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const tables = await loadTables(db);
    const table = tableFrom(tables, key);
    const after: Table = { ...table, columns: [...table.columns, column] };
    refuseProblems(after, tables);
    if (column.required) {
      const [[first]] = await db.knex.raw(`select 1 as there from ${tableSql(db, key)} limit 1`);
      if (first) fail('column_needs_value', { label: column.label, table: table.title });
    }
    const statement = addColumn(db, table, column);
    await changeStructure(db, { table: key, statement, after, by });
    return after;
  });
}

/** What can be changed of a table without touching its data. */
export interface TableRelabelling {
  title?: string;
  display?: string[];
  /** New labels by column key. */
  labels?: Record<string, string>;
  /** All columns, in the order in which they are to stand. */
  order?: readonly string[] | undefined;
  /** Named views that are kept as they are now, or let go. */
  views?:
    { keeps?: readonly NamedView[] | undefined; drops?: readonly string[] | undefined } | undefined;
}

/** Changes the title, the display columns, labels of columns, or the named views. */
export async function relabelTable(
  db: Database,
  key: string,
  change: TableRelabelling,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const tables = await loadTables(db);
    const table = tableFrom(tables, key);
    for (const column of Object.keys(change.labels ?? {})) {
      if (!table.columns.some((c) => c.key === column)) {
        fail('unknown_column', { table: table.title, column }, 404);
      }
    }
    const after: Table = {
      ...table,
      title: change.title ?? table.title,
      ...(change.views ? { views: changedViews(table, change.views) } : {}),
      display: change.display ?? table.display,
      columns: ordered(table, change.order).map((c) => ({
        ...c,
        label: change.labels?.[c.key] ?? c.label,
      })),
    };
    refuseProblems(after, tables);
    await changeStructure(db, { table: key, statement: null, after, by });
    return after;
  });
}

function ordered(table: Table, order: readonly string[] | undefined): readonly Column[] {
  if (!order) return table.columns;
  const found = order.flatMap((key) => table.columns.find((column) => column.key === key) ?? []);
  const all = new Set(order).size === table.columns.length && found.length === order.length;
  return all ? found : fail('columns_order', { table: table.title });
}

/** The named views of a table with some kept, or let go; the others stay as they are. */
function changedViews(
  { views = [] }: Table,
  { keeps = [], drops = [] }: NonNullable<TableRelabelling['views']>,
): NamedView[] {
  const gone = new Set([...drops, ...keeps.map(({ key }) => key)]);
  return [...views.filter(({ key }) => !gone.has(key)), ...keeps];
}

/**
 * Makes the indexes that are missing; each is its own statement. Words of a large table would keep everybody from saving
 * while they are taken in: they get a table of their own, which is filled behind (`keeping/words.ts`); gives whether there is such a one.
 */
export async function ensureIndexes(
  db: Database,
  wanted: readonly WantedIndex[],
  by: string,
): Promise<{ behind: boolean }> {
  return structuring(db, async () => {
    let behind = false;
    for (const { table: key, index } of wanted) {
      const table = (await loadTables(db)).get(key);
      const lacking = table && lackingIndex(table, index);
      if (!table || !lacking) continue;
      const made = await placed(db, table, lacking);
      const after: Table = { ...table, indexes: [...table.indexes, made] };
      const statement = made.beside
        ? createWords(db, made.beside.name)
        : createIndex(db, table, made);
      await changeStructure(db, { table: key, statement, after, by });
      behind ||= made.beside !== undefined;
    }
    return { behind };
  });
}

/** An index in its table, or beside it. */
async function placed(db: Database, table: Table, index: TableIndex): Promise<TableIndex> {
  if (!standsBeside(index, largeFrom)) return index;
  // Not by estimate: what was imported a moment ago is not known to that yet.
  const last = `select 1 from ${tableSql(db, table.key)} limit 1 offset ${largeFrom - 1}`;
  if ((await rowsOf(db.knex, last)).length === 0) return index;
  return { ...index, beside: freshWords() };
}

/** A place for words beside a table, in which none are yet. */
export function freshWords(): NonNullable<TableIndex['beside']> {
  return { name: randomBytes(6).toString('hex'), whole: false };
}

function refuseProblems(table: Table, tables: House): void {
  const problems = tableProblems(table, tables);
  if (problems.length > 0) throw new ProblemError(problems);
}
