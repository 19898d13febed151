import { Readable } from 'node:stream';
import { finished } from 'node:stream/promises';
import { stringify } from 'csv-stringify/sync';
import yazl from 'yazl';
import {
  dataPath,
  describePackage,
  holdFiles,
  housePath,
  packedColumns,
  packedText,
  type HousePart,
} from '$lib/core/formats/data-package';
import { idsOfFile } from '$lib/core/values/files';
import { filesIn } from '$lib/core/values/types';
import type { House, Table } from '$lib/core/table/definition';
import { listEditions, listForms, loadDraft, loadEdition } from '../catalog/forms';
import { namedRehearsals } from '../catalog/rehearsals';
import type { Database, Runner } from '../database/connection';
import { log } from '../log';
import { outsidePart } from './outside-part';
import { addFiles } from './package-files';
import { oneAhead } from '../ahead';
import { everyRow } from './rows';

/** What of a house is taken out. */
interface PackageWish {
  /** The tables that are meant; all that are seen, where none is named. */
  tables?: readonly string[] | undefined;
  /** Whether forms and lists go along: to whoever may see all of them. */
  whole: boolean;
}

/** The same house gives the same bytes: its files have no time of their own. */
const mtime = new Date('2000-01-01T12:00:00Z');

/**
 * A house as a Data Package in one zip, as a stream: the tables that whoever asks sees, with those to which they
 * refer, at one moment.
 */
export async function writePackage(
  db: Database,
  house: House,
  wish: PackageWish,
): Promise<Readable> {
  const tables = meant(house, wish.tables);
  const zip = new yazl.ZipFile();
  const add = (name: string, text: string) =>
    zip.addBuffer(Buffer.from(text, 'utf8'), name, { mtime });
  const json = (value: unknown) => `${JSON.stringify(value, null, 2)}\n`;
  add('datapackage.json', json(describePackage(tables, 'Unisor')));
  add(housePath, json(await housePart(db, house, tables, wish.whole)));
  const out = zip.outputStream as Readable;
  const gone = new Promise<never>((_, failed) => {
    out.once('close', () => failed(new Error('nobody takes the package any more')));
  });
  gone.catch(() => undefined);
  const write = async () => {
    await db.long.transaction(
      async (trx) => {
        const ids = new Set<string>();
        for (const table of tables) {
          const file = Readable.from(rowsOfTable(db, trx, house, table, ids));
          zip.addReadStream(file, dataPath(table), { mtime });
          await Promise.race([finished(file), gone]);
        }
        if (holdFiles(tables)) await addFiles(db, trx, zip, ids, mtime, gone);
      },
      { isolationLevel: 'repeatable read' },
    );
    zip.end();
  };
  write().catch((error: unknown) => {
    log.warn({ err: error }, 'a package was not taken out to its end');
    out.destroy(error as Error);
  });
  return out;
}

/** The tables that are meant, with all to which they refer, by key. */
function meant(house: House, named: readonly string[] | undefined): Table[] {
  const all = [...house.values()].sort((a, b) => (a.key < b.key ? -1 : 1));
  if (!named) return all;
  const found = new Set<string>();
  const take = (key: string) => {
    const table = house.get(key);
    if (!table || found.has(key)) return;
    found.add(key);
    for (const { type } of table.columns) if ('table' in type) take(type.table);
  };
  named.forEach(take);
  return all.filter(({ key }) => found.has(key));
}

async function* rowsOfTable(
  db: Database,
  runner: Runner,
  house: House,
  table: Table,
  /** The files that its rows name are noted here. */
  named: Set<string>,
): AsyncGenerator<string> {
  const columns = packedColumns(table);
  const lines = (rows: string[][]) => stringify(rows, { record_delimiter: '\r\n' });
  yield lines([['id', ...columns.map(({ key }) => key)]]);
  const holding = columns.flatMap(({ type }, i) => (type.kind === 'files' ? [i] : []));
  for await (const rows of oneAhead(everyRow(db, runner, house, table, columns))) {
    for (const { values } of rows) {
      for (const i of holding)
        filesIn(values[i] ?? null)
          .flatMap(idsOfFile)
          .forEach((id) => named.add(id));
    }
    yield lines(rows.map(({ id, values }) => [String(id), ...values.map(packedText)]));
  }
}

async function housePart(
  db: Database,
  house: House,
  tables: readonly Table[],
  whole: boolean,
): Promise<HousePart> {
  const keys = new Set(tables.map(({ key }) => key));
  const forms: HousePart['forms'] = [];
  for (const { id, key, table } of whole ? await listForms(db) : []) {
    if (!keys.has(table)) continue;
    const editions: HousePart['forms'][number]['editions'] = [];
    for (const { number, by } of (await listEditions(db, key)).toReversed()) {
      editions.push({ number, by, plan: (await loadEdition(db, key, number)).plan });
    }
    const rehearsals = await namedRehearsals(db, id);
    const more = rehearsals.length > 0 ? { rehearsals } : {};
    forms.push({ key, draft: (await loadDraft(db, key)).plan, editions, ...more });
  }
  return {
    format: 1,
    // Indexes follow from what forms need.
    tables: tables.map(({ views = [], ...table }) => ({
      ...{ ...table, indexes: [] },
      ...(views.length > 0 ? { views } : {}),
    })),
    lists: [...house.lists.values()].sort((a, b) => (a.key < b.key ? -1 : 1)),
    ...(whole ? await outsidePart(db) : { connections: [], queries: [] }),
    forms: forms.sort((a, b) => (a.key < b.key ? -1 : 1)),
  };
}
