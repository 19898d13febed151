import { randomUUID } from 'node:crypto';
import { Readable } from 'node:stream';
import type { Knex } from 'knex';
import { z } from 'zod';
import type { ExaminedTogether, ImportedTogether, ImportResult } from '$lib/core/contract/answers';
import {
  importColumnSchema,
  plainColumn,
  RowReader,
  type ImportColumn,
  type Matches,
} from '$lib/core/formats/csv-rows';
import { linksAmong, referredFirst, type ExaminedFile } from '$lib/core/formats/file-links';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import type { House, Table } from '$lib/core/table/definition';
import { tableProblems } from '$lib/core/table/definition-problems';
import { fileIdSchema } from '$lib/core/values/files';
import { keySchema } from '$lib/core/values/key';
import type { Value } from '$lib/core/values/types';
import { breather } from '../breathe';
import { draftForms } from '../catalog/forms';
import { loadTables, makeTable, readyTable, withTables } from '../catalog/tables';
import type { Database } from '../database/connection';
import { takeLease, type Lease } from '../database/lease';
import { refuseFull } from '../database/room';
import { inLoad } from '../database/transaction';
import { dropLoading, importLease } from '../database/structure';
import { knownFiles } from '../files/known';
import { bytesOf } from '../files/pieces';
import { corrected, correctionsSchema } from './corrections';
import { openCsv, sheetsIn } from './csv-file';
import { Equality } from './equality';
import { examineValues } from './examine';
import type { CsvRow } from './file-rows';
import { inserter, isRejected, linkProblems, loadMatches } from './import';
import { journalRows } from './journal';
import { matchInHouse } from './matches';

/** So many tables come in at once. */
const mostTables = 40;
const sheetSchema = z.number().int().min(1).max(1000);

/** A file that was handed in, and the table that it becomes. */
const tableInSchema = z.strictObject({
  file: fileIdSchema,
  /** Of a spreadsheet: the place of its sheet, from 1 on. */
  sheet: sheetSchema.default(1),
  key: keySchema,
  title: z.string().trim().min(1).max(200),
  display: z.array(keySchema).max(6),
  columns: z.array(importColumnSchema).min(1).max(1000),
  delimiter: z.string().length(1),
  cells: z.number().int().min(1).max(10_000),
  corrections: correctionsSchema,
  /** Rows that come besides, behind those of the file. */
  extra: z
    .array(z.array(z.string().max(2000)).max(10_000))
    .max(500)
    .default([]),
  /**
   * Where it becomes a table of its own out of a column of another one: its rows are the different texts of that
   * column, each once, as it is put right there.
   */
  distinctOf: z
    .strictObject({ table: keySchema, source: z.number().int().min(0).max(10_000) })
    .optional(),
});
type TableIn = z.infer<typeof tableInSchema>;

/** Several files that come in together, and may refer to one another. */
export const togetherInSchema = z.strictObject({
  tables: z.array(tableInSchema).min(1).max(mostTables),
  /** Whether the rows are only looked through. */
  check: z.boolean().default(false),
  /** Whether rows that cannot be read stop the import, or are left out. */
  rejected: z.enum(['refuse', 'leave_out']).default('refuse'),
  /** Whether a form is drafted for each. */
  forms: z.boolean().default(false),
});
export type TogetherIn = z.infer<typeof togetherInSchema>;

export const examineTogetherSchema = z.strictObject({
  files: z
    .array(
      z.strictObject({
        file: fileIdSchema,
        title: z.string().max(200),
        /** One of its sheets; all that hold something where it is left out. */
        sheet: sheetSchema.optional(),
      }),
    )
    .max(mostTables),
});

const mostRejectionsKept = 500;
const mostLookedFor = 500;

/** The bytes of a file that somebody has handed in themselves. */
export async function handedIn(db: Database, id: string, by: string): Promise<Readable> {
  const known = (await knownFiles(db, db.knex, [id])).get(id);
  if (known?.handedBy !== by || known.type === null) return fail('file_not_here', {}, 404);
  return Readable.from(bytesOf(db, id), { objectMode: false });
}

/** Looks several files through, and finds which of their columns name rows of others, or records that are there. */
export async function examineTogether(
  db: Database,
  house: House,
  { files }: z.infer<typeof examineTogetherSchema>,
  by: string,
): Promise<ExaminedTogether> {
  const examined: ExaminedOne[] = [];
  const problems: Problem[] = [];
  for (const wanted of files) {
    const name = (await knownFiles(db, db.knex, [wanted.file])).get(wanted.file)?.name ?? '';
    try {
      examined.push(...(await examineOne(db, wanted, name, by)));
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      problems.push(...error.problems.map((one) => inFile(one, name)));
    }
    if (examined.length > mostTables) fail('too_many_files_at_once', { limit: mostTables }, 422);
  }
  if (examined.length === 0 && problems.length > 0) throw new ProblemError(problems);
  const links = linksAmong(examined);
  const best = links.filter(
    (link, i) =>
      links.findIndex(
        ({ from }) => from.file === link.from.file && from.column === link.from.column,
      ) === i,
  );
  const matches: ExaminedTogether['matches'] = [];
  for (const { profiles, values } of examined) {
    const lists = profiles.map(({ proposed }, i) =>
      proposed.kind === 'text'
        ? (values[i] ?? []).slice(0, mostLookedFor).map(({ text }) => text)
        : [],
    );
    matches.push(await matchInHouse(db, house, lists));
  }
  return {
    files: examined.map(({ values, ...file }) => ({
      ...file,
      different: values.map((own) => own?.length ?? null),
    })),
    problems,
    links,
    order: referredFirst(examined.length, best),
    matches,
  };
}

type ExaminedOne = ExaminedFile & Omit<ExaminedTogether['files'][number], 'different'>;

/** What one file holds: a table, or as many as it has sheets that hold something. */
async function examineOne(
  db: Database,
  wanted: z.infer<typeof examineTogetherSchema>['files'][number],
  name: string,
  by: string,
): Promise<ExaminedOne[]> {
  const examined: ExaminedOne[] = [];
  const { file } = wanted;
  for (const { sheet, title, named } of await sheetsOf(db, wanted, by)) {
    try {
      const body = await handedIn(db, file, by);
      const found = await examineValues(body, undefined, sheet);
      examined.push({
        ...{ file, sheet, title, ...found },
        name: named === '' ? name : `${name} · ${named}`,
      });
    } catch (error) {
      // A sheet that holds nothing is passed over among others.
      if (named === '' || !isEmpty(error)) throw error;
    }
  }
  if (examined.length === 0) fail('file_empty', {}, 422, 'file');
  return examined;
}

/** A problem of one file among several. */
function inFile(found: Problem, name: string): Problem {
  return name === '' ? found : { ...found, message: `${name}: ${found.message}` };
}

/** The sheets of a file that are looked through, each as a table to come; a file without sheets is one. */
async function sheetsOf(
  db: Database,
  { file, title, sheet }: z.infer<typeof examineTogetherSchema>['files'][number],
  by: string,
): Promise<{ sheet: number; title: string; named: string }[]> {
  const names = await sheetsIn(await handedIn(db, file, by));
  if (!names || names.length < 2) return [{ sheet: sheet ?? 1, title, named: '' }];
  const all = names.map((named, i) => ({ sheet: i + 1, title: named || title, named }));
  return sheet === undefined ? all : all.filter((one) => one.sheet === sheet);
}

const isEmpty = (error: unknown) =>
  error instanceof ProblemError &&
  error.problems.every(({ code }) => code === 'file_empty' || code === 'header_only');

/** Brings several files in: all of their rows together, or nothing and no new table. */
export async function importTogether(
  db: Database,
  wish: TogetherIn,
  by: string,
  progress: (rows: number) => void = () => {},
): Promise<ImportedTogether> {
  await refuseFull(db);
  const house = await loadTables(db);
  const made = wish.tables.map(newTable);
  refuseWrong(wish, made, house);
  const reading = new Together(db, house, wish, by, progress);
  await reading.look();
  if (wish.check) return { tables: reading.results, forms: [] };
  const left = reading.results.reduce((sum, { rejectedRows }) => sum + rejectedRows, 0);
  if (left > 0 && wish.rejected === 'refuse') {
    throw new RejectedTogetherError({ tables: reading.results, forms: [] }, left);
  }
  await underLeases(db, made, async (leases) => {
    try {
      // What an import before has left behind: nobody else holds the leases.
      for (const { key } of made) await dropLoading(db, key, by);
      for (const table of made) await makeTable(db, table, by, 'loading', made);
      await inLoad(db, async (trx) => {
        await reading.write(trx);
        for (const lease of leases) await lease.hold(trx);
        for (const { key } of made) await readyTable(db, trx, key);
      });
    } catch (error) {
      for (const { key } of made) await dropLoading(db, key, by);
      throw error;
    }
  });
  return { tables: reading.results, forms: wish.forms ? await draftForms(db, made, by) : [] };
}

/** An import of several files that was refused for its rows; carries them. */
export class RejectedTogetherError extends ProblemError {
  constructor(
    readonly result: ImportedTogether,
    rows: number,
  ) {
    super(problem('rows_rejected', { count: rows }, 'file'));
  }
}

function newTable({ key, title, display, columns }: TableIn): Table {
  return { key, title, display, columns: columns.map(plainColumn), indexes: [] };
}

function refuseWrong({ tables }: TogetherIn, made: readonly Table[], house: House): void {
  const problems: Problem[] = [];
  const all = withTables(house, made);
  tables.forEach((table, i) => {
    const at = (found: Problem) => ({ ...found, path: `tables[${i}].${found.path}` });
    const twice = tables.findIndex(({ key }) => key === table.key) !== i;
    if (house.has(table.key) || twice) {
      problems.push(at(problem('table_exists', { table: table.title }, 'key')));
    }
    problems.push(...linkProblems(table.columns).map(at));
    const { distinctOf } = table;
    const origin = distinctOf && tables.find(({ key }) => key === distinctOf.table);
    if (distinctOf && (!origin || origin.distinctOf || distinctOf.source >= origin.cells)) {
      const details = { table: distinctOf.table, column: String(distinctOf.source + 1) };
      problems.push(at(problem('unknown_column', details, 'distinctOf')));
    }
    const own = made[i];
    if (own) problems.push(...tableProblems(own, all).map(at));
    for (const { type, match, label } of table.columns) {
      if (type.kind !== 'reference' || match === null || match === 'id') continue;
      const to = all.get(type.table);
      if (to && !to.columns.some(({ key }) => key === match)) {
        problems.push(at(problem('unknown_column', { table: label, column: match }, 'columns')));
      }
    }
  });
  if (problems.length > 0) throw new ProblemError(problems);
}

async function underLeases(
  db: Database,
  tables: readonly Table[],
  work: (leases: readonly Lease[]) => Promise<void>,
): Promise<void> {
  const leases: Lease[] = [];
  try {
    for (const { key, title } of tables) {
      const lease = await takeLease(db, importLease(key));
      if (!lease) return fail('table_exists', { table: title }, 409);
      leases.push(lease);
    }
    await work(leases);
  } finally {
    for (const lease of leases) await lease.end();
  }
}

/**
 * The rows of several files. A row's record gets the number of its place in its file, so that rows of other files
 * can refer to it before anything is written.
 */
class Together {
  results: ImportResult[] = [];
  readonly #db: Database;
  readonly #house: House;
  readonly #wish: TogetherIn;
  readonly #by: string;
  readonly #progress: (rows: number) => void;
  readonly #equality: Equality;
  /** The records of each column that is matched by, by table and column. */
  readonly #names = new Map<string, Map<string, number | 'ambiguous'>>();
  /** The places of rows that are not brought in, by table. */
  readonly #out = new Map<string, Set<number>>();

  constructor(
    db: Database,
    house: House,
    wish: TogetherIn,
    by: string,
    progress: (rows: number) => void,
  ) {
    this.#db = db;
    this.#house = house;
    this.#wish = wish;
    this.#by = by;
    this.#progress = progress;
    this.#equality = new Equality(db.knex);
  }

  /** Reads all files; rows that name a row which stays out stay out as well. */
  async look(): Promise<void> {
    for (;;) {
      await this.#learnNames();
      const before = this.#count();
      this.results = [];
      for (const table of this.#wish.tables) {
        this.results.push(await this.#read(table, async () => {}));
      }
      if (this.#count() === before || this.#wish.rejected === 'refuse') return;
    }
  }

  /** Writes what was read; the tables are there. */
  async write(trx: Knex.Transaction): Promise<void> {
    const number = { key: 'id', label: '', type: { kind: 'whole' as const } };
    for (const table of this.#wish.tables) {
      const columns = [{ ...number, required: true, unique: true }, ...table.columns];
      const insert = inserter(this.#db, trx, newTable(table), columns as ImportColumn[], this.#by);
      const { written } = await this.#read(table, async (values, id) =>
        insert.add([id, ...values]),
      );
      await insert.flush();
      const head = { submission: randomUUID(), kind: 'import' as const, by: this.#by };
      await journalRows(this.#db, trx, head, table.key, written);
    }
  }

  #count(): number {
    return [...this.#out.values()].reduce((sum, { size }) => sum + size, 0);
  }

  async #read(
    table: TableIn,
    take: (values: Value[], id: number) => Promise<void> | undefined,
  ): Promise<ImportResult> {
    const { key, columns, cells: width } = table;
    const matches = await this.#matches(table);
    const reader = new RowReader(columns, width, matches, (text) => this.#equality.key(text));
    const result: ImportResult = {
      rows: 0,
      written: 0,
      rejectedRows: 0,
      rejections: [],
      table: key,
    };
    const out = this.#out.get(key) ?? new Set();
    const stays = new Set(this.#wish.check || this.#wish.rejected === 'refuse' ? [] : out);
    this.#out.set(key, out);
    for await (const batch of this.#rows(table)) {
      const texts = columns.flatMap(({ source, unique, match }) =>
        unique || match !== null ? batch.map(({ cells }) => cells[source] ?? '') : [],
      );
      await this.#equality.learn(texts);
      await matches.learn(batch.map(({ cells }) => cells));
      for (const { cells, line } of batch) {
        const id = ++result.rows;
        const read = reader.read(cells, line);
        if (isRejected(read)) {
          result.rejectedRows++;
          out.add(id);
          if (result.rejections.length < mostRejectionsKept) result.rejections.push(...read);
        } else if (!stays.has(id)) {
          result.written++;
          const full = take(read, id);
          if (full) await full;
        }
      }
      this.#progress(result.rows);
    }
    if (result.rows === 0) fail('header_only', {}, 422, 'file');
    return result;
  }

  /** The rows of a table as they come in: those of its file, put right, with those that come besides. */
  async *#rows(table: TableIn): AsyncGenerator<CsvRow[]> {
    const { distinctOf, extra } = table;
    const origin = distinctOf && this.#wish.tables.find(({ key }) => key === distinctOf.table);
    const rows = origin
      ? this.#different(this.#rows(origin), distinctOf.source)
      : this.#fileRows(table);
    const breathe = breather();
    let last = 1;
    for await (const batch of rows) {
      await breathe();
      last = batch.at(-1)?.line ?? last;
      yield batch;
    }
    if (extra.length > 0) yield extra.map((cells, i) => ({ cells, line: last + 1 + i }));
  }

  async *#fileRows({ file, sheet, delimiter, corrections }: TableIn): AsyncGenerator<CsvRow[]> {
    const opened = await openCsv(await handedIn(this.#db, file, this.#by), delimiter, sheet);
    yield* corrected(opened.rows, corrections);
  }

  /** The different texts of one column, where each stands first. */
  async *#different(rows: AsyncIterable<CsvRow[]>, source: number): AsyncGenerator<CsvRow[]> {
    const seen = new Set<string>();
    for await (const batch of rows) {
      const texts = batch.map(({ cells }) => (cells[source] ?? '').trim());
      await this.#equality.learn(texts);
      const fresh = texts.flatMap((text, i): CsvRow[] => {
        const known = this.#equality.key(text);
        if (text === '' || seen.has(known)) return [];
        seen.add(known);
        return [{ cells: [text], line: batch[i]?.line ?? 1 }];
      });
      if (fresh.length > 0) yield fresh;
    }
  }

  /** Learns the numbers that rows of these files will have, by the columns that others are matched with. */
  async #learnNames(): Promise<void> {
    for (const table of this.#wish.tables) {
      const asked = new Set(
        this.#wish.tables.flatMap(({ columns }) =>
          columns.flatMap(({ type, match }) =>
            type.kind === 'reference' && type.table === table.key && match !== null ? [match] : [],
          ),
        ),
      );
      const by = table.columns.filter(({ key }) => asked.has(key));
      const names = by.map(({ key, source }) => {
        const ids = new Map<string, number | 'ambiguous'>();
        this.#names.set(nameOf(table.key, key), ids);
        return { source, ids };
      });
      if (names.length === 0) continue;
      const out = this.#out.get(table.key);
      let id = 0;
      for await (const batch of this.#rows(table)) {
        const texts = names.flatMap(({ source }) => batch.map(({ cells }) => cells[source] ?? ''));
        await this.#equality.learn(texts);
        for (const { cells } of batch) {
          id++;
          if (out?.has(id)) continue;
          for (const { source, ids } of names) {
            const text = this.#equality.key(cells[source] ?? '');
            if ((cells[source] ?? '').trim() === '') continue;
            ids.set(text, ids.has(text) ? 'ambiguous' : id);
          }
        }
      }
    }
  }

  /** Finds what cells name: rows of these files, or records that are there. */
  async #matches({ columns }: TableIn): Promise<Awaited<ReturnType<typeof loadMatches>>> {
    const beside = (column: ImportColumn) =>
      column.type.kind === 'reference'
        ? this.#wish.tables.find(({ key }) => 'table' in column.type && column.type.table === key)
        : undefined;
    const there = await loadMatches(
      this.#db,
      this.#house,
      columns.filter((column) => !beside(column)),
    );
    const find: Matches['find'] = (column, text) => {
      const to = beside(column);
      if (!to) return there.find(column, text);
      const names = this.#names.get(nameOf(to.key, column.match ?? ''));
      return names?.get(this.#equality.key(text)) ?? null;
    };
    const names: Matches['names'] = (column) => {
      const to = beside(column);
      if (!to) return there.names(column);
      const label = to.columns.find(({ key }) => key === column.match)?.label ?? '';
      return { table: to.title.toLowerCase(), column: label.toLowerCase() };
    };
    return { ...there, find, names };
  }
}

function nameOf(table: string, column: string): string {
  return `${table}.${column}`;
}
