import { runBinary, type Bound } from '../database/rows';
import type { ImportResult } from '$lib/core/contract/answers';
import { parseText, readingOf } from '$lib/core/values/parse';
import { randomUUID } from 'node:crypto';
import type { Readable } from 'node:stream';
import type { Knex } from 'knex';
import { z } from 'zod';
import {
  importColumnSchema,
  plainColumn,
  RowReader,
  type ImportColumn,
  type Matches,
  type Rejection,
} from '$lib/core/formats/csv-rows';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { columnOf, type Table, type House } from '$lib/core/table/definition';
import { tableProblems } from '$lib/core/table/definition-problems';
import { keySchema } from '$lib/core/values/key';
import { keptColumns } from '$lib/core/table/links';
import type { Value } from '$lib/core/values/types';
import { loadTables, makeTable, readyTable, tableFrom } from '../catalog/tables';
import { oneAhead } from '../ahead';
import { breather } from '../breathe';
import type { Database } from '../database/connection';
import { tableSql, uniqueName } from '../database/ddl';
import { databaseWords, duplicateIndex } from '../database/errors';
import { underLease } from '../database/lease';
import { refuseFull } from '../database/room';
import { dropLoading, importLease } from '../database/structure';
import { parseJson } from '../database/json';
import { corrected, correctionsSchema } from './corrections';
import { openCsv } from './csv-file';
import { journalRows } from './journal';
import { inPieces, isClustered } from '../database/lock-rows';
import { touchRecords } from './touched';
import { Equality } from './equality';
import { fromDatabase, toDatabase } from './values';

/** What a file is to become: a new table, or more rows of one that is there. */
export const importSchema = z.strictObject({
  target: z.discriminatedUnion('kind', [
    z.strictObject({
      kind: z.literal('new'),
      key: keySchema,
      title: z.string().trim().min(1).max(200),
      display: z.array(keySchema).max(6),
    }),
    z.strictObject({ kind: z.literal('existing'), table: keySchema }),
  ]),
  columns: z.array(importColumnSchema).min(1).max(1000),
  delimiter: z.string().length(1),
  /** The number of columns of the file, left-out ones counted. */
  cells: z.number().int().min(1).max(10_000),
  /** Whether rows that cannot be read stop the import, or are left out. */
  rejected: z.enum(['refuse', 'leave_out']).default('refuse'),
  corrections: correctionsSchema,
});
export type ImportDefinition = z.infer<typeof importSchema>;

const mostRejectionsKept = 500;
const rowsPerInsert = 500;
/** A prepared statement takes no more values; the protocol counts them in 16 bits. */
const mostBound = 65_535;
const progressEvery = 2000;

/** Notes what a file is to become; the file itself follows. Fails with all problems of the definition. */
export async function openImport(
  db: Database,
  definition: ImportDefinition,
  by: string,
): Promise<string> {
  const tables = await loadTables(db);
  const { target } = definition;
  if (target.kind === 'new') {
    if (tables.has(target.key)) fail('table_exists', { table: target.key }, 409, 'key');
    refuse(linkProblems(definition.columns));
    refuse(tableProblems(newTable(definition, target), tables));
  } else {
    const table = tableFrom(tables, target.table);
    refuse(existingProblems(definition, table));
  }
  const id = randomUUID();
  await jobs(db).insert({
    id,
    definition: JSON.stringify(definition),
    state: 'open',
    by_person: by,
  });
  return id;
}

/** Reads the file as the import says and lists every row that cannot be brought in; writes nothing. */
export async function checkImport(
  db: Database,
  id: string,
  body: ReadableStream<Uint8Array> | Readable,
  progress: (rows: number) => void = () => {},
): Promise<ImportResult> {
  const definition = await openJob(db, id);
  return readFile(db, definition, body, progress, async () => {});
}

/** Brings the file in: all of it in one transaction, or nothing and no new table. */
export async function runImport(
  db: Database,
  id: string,
  body: ReadableStream<Uint8Array> | Readable,
  by: string,
  progress: (rows: number) => void = () => {},
): Promise<ImportResult> {
  await refuseFull(db);
  const definition = await openJob(db, id);
  const { target } = definition;
  if (target.kind === 'existing') {
    const table = tableFrom(await loadTables(db), target.table);
    return db.long.transaction((trx) => load(db, trx, id, definition, table, body, by, progress));
  }
  const table = newTable(definition, target);
  return underLease(db, importLease(table.key), 0, async (lease) => {
    // What an import before has left behind: nobody else holds the lease.
    await dropLoading(db, table.key, by);
    await makeTable(db, table, by, 'loading');
    try {
      return await db.long.transaction(async (trx) => {
        const result = await load(db, trx, id, definition, table, body, by, progress);
        await lease.hold(trx);
        await readyTable(db, trx, table.key);
        return result;
      });
    } catch (error) {
      await dropLoading(db, table.key, by);
      throw error;
    }
  });
}

async function load(
  db: Database,
  trx: Knex.Transaction,
  id: string,
  definition: ImportDefinition,
  table: Table,
  body: ReadableStream<Uint8Array> | Readable,
  by: string,
  progress: (rows: number) => void,
): Promise<ImportResult> {
  await inPieces(db, trx);
  const insert = inserter(db, trx, table, definition.columns, by);
  const result = await readFile(db, definition, body, progress, insert.add);
  if (result.rejectedRows > 0 && definition.rejected === 'refuse') {
    throw new RejectedError(result);
  }
  await insert.flush();
  const head = { submission: id, kind: 'import' as const, by };
  await journalRows(db, trx, head, table.key, result.written);
  await jobs(db, trx).where({ id }).update({ state: 'done' });
  return { ...result, table: table.key };
}

/** An import that was refused for its rows; carries them. */
export class RejectedError extends ProblemError {
  constructor(readonly result: ImportResult) {
    super(problem('rows_rejected', { count: result.rejectedRows }, 'file'));
  }
}

async function readFile(
  db: Database,
  definition: ImportDefinition,
  body: ReadableStream<Uint8Array> | Readable,
  progress: (rows: number) => void,
  take: (values: Value[]) => Promise<void> | undefined,
): Promise<ImportResult> {
  const tables = await loadTables(db);
  const matches = await loadMatches(db, tables, definition.columns);
  const equality = new Equality(db.knex);
  const there = await existingValues(db, definition, equality);
  const reader = new RowReader(
    definition.columns,
    definition.cells,
    matches,
    (text) => equality.key(text),
    (column, key) => there.has(column.key, key),
  );
  const file = await openCsv(body, definition.delimiter);
  const result: ImportResult = { rows: 0, written: 0, rejectedRows: 0, rejections: [], table: '' };
  const stopsWriting = definition.rejected === 'refuse';
  const breathe = breather();
  /** The rows, once the database has been asked what stands in them. */
  async function* known() {
    for await (const batch of corrected(file.rows, definition.corrections)) {
      const cells = batch.map((row) => row.cells);
      await Promise.all([there.learn(cells), matches.learn(cells)]);
      yield batch;
    }
  }
  for await (const batch of oneAhead(known())) {
    await breathe();
    for (const { cells, line } of batch) {
      result.rows++;
      const read = reader.read(cells, line);
      if (isRejected(read)) {
        result.rejectedRows++;
        if (result.rejections.length < mostRejectionsKept) result.rejections.push(...read);
      } else {
        result.written++;
        if (!stopsWriting || result.rejectedRows === 0) {
          const full = take(read);
          if (full) await full;
        }
      }
      if (result.rows % progressEvery === 0) progress(result.rows);
    }
  }
  if (result.rows === 0) fail('header_only', {}, 422, 'file');
  return result;
}

export function isRejected(read: Value[] | Rejection[]): read is Rejection[] {
  const [first] = read;
  return typeof first === 'object' && first !== null && 'problem' in first;
}

/** Writes rows of values in multi-row statements. */
export function inserter(
  db: Database,
  trx: Knex.Transaction,
  table: Table,
  columns: readonly ImportColumn[],
  by: string,
) {
  const names = [...columns.map((c) => `\`${c.key}\``), '`created_by`', '`updated_by`'];
  const row = `(${names.map(() => '?').join(', ')})`;
  const begin = `insert into ${tableSql(db, table.key)} (${names.join(', ')}) values `;
  const most = Math.min(rowsPerInsert, Math.floor(mostBound / names.length));
  let waiting: Bound[] = [];
  let rows = 0;
  const referring = columns.flatMap(({ key, type }, i) =>
    type.kind === 'reference' ? [{ key, i }] : [],
  );
  let referred: Value[][] = [];
  /** The statement on its way; the next rows are read meanwhile. */
  let writing: Promise<void> = Promise.resolve();
  const referredTo = (values: readonly Value[]) => ({
    values: Object.fromEntries(referring.map(({ key, i }) => [key, values[i] ?? null])),
  });
  const write = async (count: number, bindings: Bound[], told: readonly Value[][]) => {
    if (await isClustered(db, trx)) await touchRecords(db, trx, table, told.map(referredTo));
    const sql = begin + Array.from({ length: count }, () => row).join(',');
    try {
      await runBinary(trx, sql, bindings);
    } catch (error) {
      throw insertProblem(error, table) ?? error;
    }
  };
  const send = async () => {
    await writing;
    await refuseFull(db);
    writing = write(rows, waiting, referred);
    // Told where it is awaited; without this an early end would leave it unheard.
    writing.catch(() => {});
    [waiting, rows, referred] = [[], 0, []];
  };
  const flush = async () => {
    if (rows > 0) await send();
    await writing;
  };
  const add = (values: Value[]): Promise<void> | undefined => {
    for (const [i, column] of columns.entries()) {
      waiting.push(toDatabase(column.type, values[i] ?? null));
    }
    waiting.push(by, by);
    referred.push(values);
    rows++;
    return rows === most ? send() : undefined;
  };
  return { add, flush };
}

/** A value that the table has already: only the database knows. */
function insertProblem(error: unknown, table: Table): ProblemError | null {
  const index = duplicateIndex(error);
  const column = table.columns.find((c) => index === uniqueName(c.key));
  if (!column) return null;
  const given = /Duplicate entry '(.*)' for key/.exec(databaseWords(error))?.[1] ?? '';
  const details = { label: column.label, given, table: table.title };
  return new ProblemError(problem('not_unique', details, column.key));
}

/** Reads the columns that references are matched by, whole. */
export async function loadMatches(
  db: Database,
  tables: House,
  columns: readonly ImportColumn[],
): Promise<Matches & { learn: (rows: readonly (readonly string[])[]) => Promise<void> }> {
  const equality = new Equality(db.knex);
  const found = new Map<string, Map<string, number | 'ambiguous'>>();
  const names = new Map<string, { table: string; column: string }>();
  for (const column of columns) {
    if (column.type.kind !== 'reference' || column.match === null) continue;
    const table = tableFrom(tables, column.type.table);
    const by = columnOf(table, column.match);
    if (!by) return fail('unknown_column', { table: table.title, column: column.match });
    const sql = `select id, \`${by.key}\` as text from ${tableSql(db, table.key)} where \`${by.key}\` is not null`;
    const [rows] = await db.knex.raw(sql);
    const ids = new Map<string, number | 'ambiguous'>();
    await equality.learn((rows as { text: unknown }[]).map(({ text }) => String(text)));
    for (const { id, text } of rows as { id: number; text: unknown }[]) {
      const known = equality.key(String(text));
      ids.set(known, ids.has(known) ? 'ambiguous' : Number(id));
    }
    found.set(column.key, ids);
    names.set(column.key, { table: table.title.toLowerCase(), column: by.label.toLowerCase() });
  }
  return {
    learn: (rows) => {
      const matched = columns.filter(({ key }) => found.has(key));
      return equality.learn(
        matched.flatMap(({ source }) => rows.map((cells) => (cells[source] ?? '').trim())),
      );
    },
    find: (column, text) => found.get(column.key)?.get(equality.key(text.trim())) ?? null,
    names: (column) => names.get(column.key) ?? { table: '', column: '' },
  };
}

/**
 * The values of unique columns that stand in the table already, as far as the lines of a file hold them: a
 * line that repeats one is rejected with its number, before anything is written.
 */
async function existingValues(db: Database, definition: ImportDefinition, equality: Equality) {
  const unique = definition.columns.filter((column) => column.unique);
  const found = new Map<string, Set<string>>();
  const { target } = definition;
  const learn = async (rows: readonly (readonly string[])[]) => {
    for (const column of unique) {
      const values = rows.flatMap((cells) => {
        const read = parseText(
          column.type,
          cells[column.source] ?? '',
          '',
          readingOf(column.reading),
        );
        return 'value' in read && read.value !== null ? [read.value] : [];
      });
      await equality.learn(values.map(String));
      if (target.kind !== 'existing' || values.length === 0) continue;
      const held = await db
        .knex(target.table)
        .withSchema(db.records)
        .whereIn(column.key, values.map((value) => toDatabase(column.type, value)) as string[])
        .pluck(column.key);
      const texts = held.map((value) => String(fromDatabase(column.type, value)));
      await equality.learn(texts);
      const known = found.get(column.key) ?? new Set();
      for (const text of texts) known.add(equality.key(text));
      found.set(column.key, known);
    }
  };
  return { learn, has: (column: string, key: string) => found.get(column)?.has(key) === true };
}

/** Links have a table of their own, which a file of one table does not hold. */
export function linkProblems(columns: readonly ImportColumn[]): Problem[] {
  return columns.flatMap(({ label, type }, i) =>
    type.kind === 'references'
      ? [problem('links_in_file', { label }, `columns[${i}]`)]
      : type.kind === 'files'
        ? [problem('files_in_file', { label }, `columns[${i}]`)]
        : [],
  );
}

function newTable(
  definition: ImportDefinition,
  target: Extract<ImportDefinition['target'], { kind: 'new' }>,
): Table {
  return {
    key: target.key,
    title: target.title,
    columns: definition.columns.map(plainColumn),
    display: target.display,
    indexes: [],
  };
}

function existingProblems(definition: ImportDefinition, table: Table): Problem[] {
  const problems = definition.columns.flatMap((column, i) => {
    const there = keptColumns(table).find((c) => c.key === column.key);
    const details = { table: table.title, column: column.key };
    return there ? [] : [problem('unknown_column', details, `columns[${i}]`)];
  });
  const given = new Set(definition.columns.map((column) => column.key));
  const missing = table.columns.filter((column) => column.required && !given.has(column.key));
  const linked = linkProblems(
    definition.columns.flatMap((column) => {
      const there = columnOf(table, column.key);
      return there ? [{ ...column, type: there.type }] : [];
    }),
  );
  return [
    ...problems,
    ...linked,
    ...missing.map(({ label }) => problem('required', { label }, 'columns')),
  ];
}

async function openJob(db: Database, id: string): Promise<ImportDefinition> {
  const row = await jobs(db).where({ id }).first('definition', 'state');
  if (!row) return fail('unknown_import', {}, 404);
  if (row.state !== 'open') return fail('import_closed', {}, 409);
  const definition = importSchema.parse(parseJson(row.definition));
  if (definition.target.kind === 'new') return definition;
  // The columns of a table that is there are as the table says, whatever the request said.
  const table = tableFrom(await loadTables(db), definition.target.table);
  const columns = definition.columns.map((column) => ({
    ...column,
    ...columnOf(table, column.key),
  }));
  return { ...definition, columns };
}

function refuse(problems: readonly Problem[]): void {
  if (problems.length > 0) throw new ProblemError(problems);
}

function jobs(db: Database, runner: Knex | Knex.Transaction = db.knex) {
  return runner('import_job').withSchema(db.catalog);
}
