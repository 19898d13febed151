import { Readable } from 'node:stream';
import { stringify } from 'csv-stringify/sync';
import { plainColumn } from '../src/core/formats/csv-rows';
import { isoReading } from '../src/core/values/parse';
import { listForms, makeForm, publishForm } from '../src/server/catalog/forms';
import { loadTables, makeTable } from '../src/server/catalog/tables';
import { openDatabase, type Database } from '../src/server/database/connection';
import { migrate } from '../src/server/database/migrate';
import { openImport, runImport } from '../src/server/records/import';
import { demoPlans } from './plans';
import { demoSize, demoTables, type DemoSize, type DemoTable } from './tables';

const by = 'demo';

/**
 * Loads the demo: what is missing of it, so that a run cut off half-way goes on. Tables come in the
 * way any file does.
 */
export async function loadDemo(
  db: Database,
  say: (line: string) => void,
  size: DemoSize = demoSize,
): Promise<void> {
  for (const table of demoTables(size)) {
    if ((await loadTables(db)).has(table.key)) continue;
    say(`  ${table.title} …`);
    const rows = await importTable(db, table, (n) => say(`  ${table.title}: ${n} rows …`));
    say(`  ${table.title}: ${rows} records.`);
  }
  for (const [key, plan] of Object.entries(demoPlans)) {
    const there = (await listForms(db)).find((form) => form.key === key);
    const form = there ?? (await makeForm(db, { key, table: plan.table, plan }, by));
    if (form.edition > 0) continue;
    await publishForm(db, key, form.revision, by);
    say(`  Form ${plan.title}, edition 1.`);
  }
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
    reading: isoReading,
  }));
  const definition = {
    target: { kind: 'new' as const, key, title, display },
    columns,
    delimiter: ',',
    cells: columns.length,
    rejected: 'refuse' as const,
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
  const result = await runImport(db, id, Readable.from(csv(table)), by, (n) => {
    if (n % 20_000 === 0) progress(n);
  });
  return result.written;
}

function* csv(table: DemoTable): Iterable<Buffer> {
  yield Buffer.from(stringify([table.columns.map((column) => column.label)]));
  let batch: string[][] = [];
  for (const row of table.rows()) {
    batch.push(row);
    if (batch.length < 1000) continue;
    yield Buffer.from(stringify(batch));
    batch = [];
  }
  yield Buffer.from(stringify(batch));
}

/** `tsx demo/load.ts [--empty]`: migrates the catalog and, unless told otherwise, loads the demo. */
async function main(): Promise<void> {
  const url = process.env.UNISOR_DATABASE_URL;
  if (!url) throw new Error('UNISOR_DATABASE_URL is not set; start with npm start.');
  const db = openDatabase(url, process.env.UNISOR_SCHEMA ?? 'unisor');
  try {
    await migrate(db, url);
    if (!process.argv.includes('--empty')) await loadDemo(db, (line) => console.log(line));
  } finally {
    await db.knex.destroy();
  }
}

if (process.argv[1]?.endsWith('load.ts')) await main();
