import { Readable } from 'node:stream';
import { stringify } from 'csv-stringify/sync';
import { plainColumn } from '../src/core/formats/csv-rows';
import { linkTable } from '../src/core/table/links';
import type { FileReading } from '../src/core/values/parse';
import { listForms, makeForm, publishForm } from '../src/server/catalog/forms';
import { makeList } from '../src/server/catalog/lists';
import { addTableColumn, loadTables, makeTable, relabelTable } from '../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../src/server/database/connection';
import { tableSql } from '../src/server/database/ddl';
import { migrate } from '../src/server/database/migrate';
import { openImport, runImport } from '../src/server/records/import';
import { writeUses } from '../src/server/records/form-uses';
import { loadHallChecks } from './hall-checks';
import { demoLists } from './lists';
import { connectOutside, type OutsidePlaces } from './outside';
import { loadPeople } from './people';
import { type Plan } from '../src/core/plan/schema';
import { scopesOf } from '../src/core/plan/scopes';
import { demoPlans } from './plans';
import { demoViews } from './views';
import { demoTables, type DemoLinks, type DemoTable } from './tables';
import { demoSize, largeDemo, type DemoSize } from './rows';

const by = 'demo';

/**
 * Loads the demo: what is missing of it, so that a run cut off half-way goes on. Tables come in the
 * way any file does.
 */
export async function loadDemo(
  db: Database,
  say: (line: string) => void,
  size: DemoSize = demoSize,
  places: OutsidePlaces | null = null,
): Promise<void> {
  if (places) await connectOutside(db, places);
  for (const list of demoLists) {
    if (!(await loadTables(db)).lists?.has(list.key)) await makeList(db, list, by);
  }
  for (const table of demoTables(size)) {
    if ((await loadTables(db)).has(table.key)) continue;
    say(`  ${table.title} …`);
    const rows = await importTable(db, table, (n) => say(`  ${table.title}: ${n} rows …`));
    say(`  ${table.title}: ${rows} records.`);
  }
  for (const table of demoTables(size)) {
    for (const links of table.links ?? []) await addLinks(db, table.key, links);
  }
  for (const [table, views] of Object.entries(demoViews)) {
    const known = (await loadTables(db)).get(table);
    if (known && !known.views) await relabelTable(db, table, { views: { keeps: views } }, by);
  }
  for (const [key, plan] of Object.entries(demoPlans)) {
    // What asks outside systems is made where there are some.
    if (!places && needsOutside(plan)) continue;
    const there = (await listForms(db)).find((form) => form.key === key);
    const form = there ?? (await makeForm(db, { key, table: plan.table, plan }, by));
    if (form.edition > 0) continue;
    await publishForm(db, key, form.revision, by);
    say(`  Form ${plan.title}, edition 1.`);
  }
  await loadHallChecks(db, size.sheets);
  await writeUses(db);
  await loadPeople(db);
}

function needsOutside(plan: Plan): boolean {
  const asks = scopesOf(plan).some(({ fields }) =>
    fields.some(({ choices, outside }) => outside !== null || choices?.kind === 'outside'),
  );
  return asks || plan.through != null || (plan.sends ?? []).length > 0;
}

/** Adds a column of several references and its other side, where they are missing, and the links. */
async function addLinks(db: Database, table: string, links: DemoLinks): Promise<void> {
  const { key, label, to, mirror, pairs } = links;
  const plain = { required: false, unique: false };
  const column = {
    ...plain,
    key,
    label,
    type: { kind: 'references' as const, table: to, mirrors: null },
  };
  const tables = await loadTables(db);
  // The other side is added last: once it is there, the links are what people have made of them.
  if (tables.get(to)?.columns.some((c) => c.key === mirror.key)) return;
  const linked = linkTable(table, column);
  if (!linked) return;
  if (!tables.get(table)?.columns.some((c) => c.key === key)) {
    await addTableColumn(db, table, column, by);
  }
  const name = tableSql(db, linked.name);
  const [own, other] = [await idsInOrder(db, table), await idsInOrder(db, to)];
  const all = [...pairs()].map(([a, b]) => [own[a - 1] ?? 0, other[b - 1] ?? 0]);
  const marks = all.map(() => '(?, ?)').join(', ');
  const sql = `insert ignore into ${name} (\`${linked.own}\`, \`${linked.other}\`) values ${marks}`;
  await db.knex.raw(sql, all.flat());
  const type = { kind: 'references' as const, table, mirrors: key };
  await addTableColumn(db, to, { ...plain, ...mirror, type }, by);
}

async function importTable(
  db: Database,
  table: DemoTable,
  progress: (rows: number) => void,
): Promise<number> {
  const { key, title, display } = table;
  const columns = table.columns.map((column, source) => ({
    ...column,
    source,
    reading: { decimal: '.', dates: 'ymd' } satisfies FileReading,
  }));
  const definition = {
    target: { kind: 'new' as const, key, title, display },
    columns,
    delimiter: ',',
    cells: columns.length,
    rejected: 'refuse' as const,
    corrections: [],
  };
  const rows = table.rows();
  if (Array.isArray(rows) && rows.length === 0) {
    await makeTable(
      db,
      { key, title, display, columns: columns.map(plainColumn), indexes: [] },
      by,
    );
    return 0;
  }
  const id = await openImport(db, definition, by);
  const ids = new Map<string, number[]>();
  for (const { type, match } of table.columns) {
    if (match !== 'id' || type.kind !== 'reference') continue;
    ids.set(type.table, await idsInOrder(db, type.table));
  }
  const result = await runImport(db, id, Readable.from(csv(table, ids)), by, (n) => {
    if (n % 20_000 === 0) progress(n);
  });
  return result.written;
}

/** The ids of a table's records in their order: a cluster gives them out in steps. */
async function idsInOrder(db: Database, table: string): Promise<number[]> {
  const rows = await db.knex(table).withSchema(db.records).orderBy('id').select('id');
  return rows.map(({ id }) => Number(id));
}

/** The rows of a table as CSV; the places by which they refer to rows of others become the ids of those. */
function* csv(table: DemoTable, ids: ReadonlyMap<string, number[]>): Iterable<Buffer> {
  yield Buffer.from(stringify([table.columns.map((column) => column.label)]));
  const referring = table.columns.map(({ type, match }) =>
    match === 'id' && type.kind === 'reference' ? ids.get(type.table) : undefined,
  );
  const known = (cell: string, i: number) => String(referring[i]?.[Number(cell) - 1] ?? cell);
  let batch: string[][] = [];
  for (const row of table.rows()) {
    batch.push(row.map(known));
    if (batch.length < 1000) continue;
    yield Buffer.from(stringify(batch));
    batch = [];
  }
  yield Buffer.from(stringify(batch));
}

/** `tsx demo/load.ts [--empty | --large]`: migrates the catalog and, unless told otherwise, loads the demo. */
async function main(): Promise<void> {
  const url = process.env.UNISOR_DATABASE_URL;
  if (!url) throw new Error('UNISOR_DATABASE_URL is not set; start with npm start.');
  const db = openDatabase(url, process.env.UNISOR_SCHEMA ?? 'unisor');
  try {
    await migrate(db, url);
    if (process.argv.includes('--empty')) return;
    const size = process.argv.includes('--large') ? largeDemo : demoSize;
    await loadDemo(db, (line) => console.log(line), size, placesFrom(url));
  } finally {
    await endDatabase(db);
  }
}

/** Where the outside systems of the demo are; nowhere, where no simulators are started. */
function placesFrom(url: string): OutsidePlaces | null {
  const simulators = process.env.UNISOR_SIMULATORS;
  if (!simulators || !process.env.UNISOR_SECRET) return null;
  const { hostname: host, port } = new URL(url);
  return { simulators, database: { host, port: Number(port || 3306) } };
}

if (process.argv[1]?.endsWith('load.ts')) await main();
