import { AsyncLocalStorage } from 'node:async_hooks';
import { setTimeout as pause } from 'node:timers/promises';
import type { Knex } from 'knex';
import type { House, Table } from '$lib/core/table/definition';
import type { z } from 'zod';
import type { wordsAnswer } from '$lib/core/contract/answers';
import { hasIndex, lackingIndex, searchIndexes, type WantedIndex } from '$lib/core/plan/indexes';
import { displayPaths } from '$lib/core/table/paths';
import { ensureIndexes, loadTables, tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { createWords, dropTable, tableSql, wordsName } from '../database/ddl';
import { takeLease, type Lease } from '../database/lease';
import { momentOf } from '../database/moments';
import { rowsOf } from '../database/rows';
import { changeStructure, structuring } from '../database/structure';
import { inTransaction } from '../database/transaction';
import { log } from '../log';
import { indexesBeside, wordsSql, writeWords, type BesideIndex } from '../records/words-beside';

/**
 * The words that stand beside large tables are taken in here, piece by piece, while people save; and once there, they
 * are held against the records now and then, whoever has written those. One process at a time works on them.
 */

/** Looked for so often; what is there is checked so often. Milliseconds. */
const every = 60_000;
const checkedEvery = 3_600_000;
/** So many records are taken in at once, to begin with, and at most; and so many are compared. */
const pieces = { first: 2000, most: 10_000, compared: 20_000 };
/** A piece takes about so long: a save that waits for it hardly notices. Milliseconds. */
const aim = 150;
/** So many records are written anew in one statement. */
const mendedAtOnce = 500;

/** Whoever asks for it: the work belongs to nobody's request. */
const outside = AsyncLocalStorage.snapshot();

let timer: NodeJS.Timeout | null = null;
let stopped = false;

/** Works on the words now and then. */
export function startWords(db: Database): void {
  stopped = false;
  wordsBehind(db);
  timer = setInterval(() => wordsBehind(db), every).unref();
}

/** Ends the work; it goes on where it was when the server starts again. */
export function stopWords(): void {
  stopped = true;
  if (timer) clearInterval(timer);
  timer = null;
}

/** Works on the words now; nobody waits for it. */
export function wordsBehind(db: Database): void {
  const work = outside(() => keepWords(db));
  void work.catch((err: unknown) => log.warn({ err }, 'words could not be taken in'));
}

/** Takes in what is missing, and checks what was not checked for a while. Does nothing where another process is at it. */
export async function keepWords(
  db: Database,
  bounds: { checkedEvery?: number; piece?: number } = {},
): Promise<void> {
  const lease = await takeLease(db, 'words');
  if (!lease) return;
  const job: Job = { db, lease, first: bounds.piece ?? pieces.first };
  try {
    await dropStaleWords(db);
    for (const { index } of placesIn(await loadTables(db))) {
      if (stopped) return;
      const { name, whole } = index.beside;
      try {
        const due = whole && (await isDue(db, name, bounds.checkedEvery ?? checkedEvery));
        const sound = whole && (!due || (await check(job, name)));
        if (!sound) await fill(job, name);
      } catch (err) {
        // Whatever is wrong with one table, the others go on; it is tried again the next time.
        log.warn({ err, name }, 'the words of a table could not be taken in');
      }
    }
  } finally {
    await lease.end();
  }
}

/** How far the words of an index have come. */
export interface WordsState {
  /** The table whose words they are. */
  table: string;
  columns: string[];
  /** What part of the records is there, between 0 and 1; `null` where all are. */
  share: number | null;
  /** When they were held against the records last; `null` before. */
  checked: string | null;
  /** In so many records they stood otherwise then. */
  mended: number;
}

/** How far all words have come that stand beside tables. */
export async function wordsStates(db: Database, tables: House): Promise<WordsState[]> {
  return Promise.all(
    placesIn(tables).map(async ({ table, index }) => {
      const { columns, beside } = index;
      const row = await stateOf(db, beside.name);
      const share = beside.whole ? null : await shareOf(db, table, Number(row?.upto ?? 0));
      const checked = row?.checked_at ? momentOf(row.checked_at) : null;
      return { table: table.key, columns, share, checked, mended: Number(row?.mended ?? 0) };
    }),
  );
}

/** Has the words indexed by which the records of a table are found as they are shown; tells how far they are then. */
export async function indexWords(
  db: Database,
  tables: House,
  table: Table,
  by: string,
): Promise<z.infer<typeof wordsAnswer>> {
  const { behind } = await ensureIndexes(db, wordsWanted(tables, table), by);
  if (behind) wordsBehind(db);
  const now = await loadTables(db);
  return wordsFor(db, now, tableFrom(now, table.key));
}

/** The indexes of words by which the records of a table are found as they are shown. */
function wordsWanted(tables: House, table: Table): WantedIndex[] {
  return searchIndexes(table, displayPaths(tables, table), tables);
}

/** What of them is lacking, and what is under way. */
export async function wordsFor(
  db: Database,
  tables: House,
  table: Table,
): Promise<z.infer<typeof wordsAnswer>> {
  const wanted = wordsWanted(tables, table);
  const lacks = ({ table: key, index }: WantedIndex) => {
    const of = tables.get(key);
    return of !== undefined && lackingIndex(of, index) !== null;
  };
  // Where all words are there, as nearly always, nothing is asked for it.
  const filling = placesIn(tables).filter(
    (place) =>
      !place.index.beside.whole &&
      wanted.some((one) => one.table === place.table.key && hasIndex([one.index], place.index)),
  );
  const underWay = filling.map(async ({ table: of, index }) => {
    const row = await stateOf(db, index.beside.name);
    return { table: of.key, share: await shareOf(db, of, Number(row?.upto ?? 0)) };
  });
  return {
    lacking: wanted.filter(lacks).map(({ table: key }) => key),
    underWay: await Promise.all(underWay),
  };
}

async function shareOf(db: Database, table: Table, upto: number): Promise<number> {
  const [ends] = await rowsOf(
    db.knex,
    `select min(id) as first, max(id) as last from ${tableSql(db, table.key)}`,
  );
  const [first, last] = [Number(ends?.first ?? 0), Number(ends?.last ?? 0)];
  return Math.min(1, Math.max(0, (upto - first + 1) / Math.max(1, last - first + 1)));
}

interface Job {
  db: Database;
  lease: Lease;
  /** The size of its first piece. */
  first: number;
}

interface Place {
  table: Table;
  index: BesideIndex;
}

function placesIn(tables: House): Place[] {
  return [...tables.values()].flatMap((table) =>
    indexesBeside(table).map((index) => ({ table, index })),
  );
}

/** Where an index of words stands now: its table or a column may have another name since, or it may be gone. */
async function placeOf({ db }: Job, name: string): Promise<Place | null> {
  const places = placesIn(await loadTables(db));
  return places.find(({ index }) => index.beside.name === name) ?? null;
}

/** Takes words in until all are there; goes on where it was cut off. */
async function fill(job: Job, name: string): Promise<void> {
  const { db } = job;
  let upto = await beginning(db, name);
  for (let size = job.first; ;) {
    const place = await placeOf(job, name);
    if (stopped || !place) return;
    const began = performance.now();
    const end = await endOf(db, place.table, upto, size);
    upto = await takeIn(job, place, { after: upto, end });
    if (end === null) break;
    const took = performance.now() - began;
    if (job.first === pieces.first) size = fitting(size, took);
    await pause(Math.min(took, aim));
  }
  // Who saved meanwhile may not have known of the words yet; what is still on its way is found by the next check.
  if (!(await check(job, name))) return;
  await markWhole(job, name, true);
  await noteState(db, name, { upto: 0, checked_at: null });
}

/** So many records at once take about as long as is aimed at. */
function fitting(size: number, took: number): number {
  if (took < aim / 2) return Math.min(size * 2, pieces.most);
  return took > aim * 2 ? Math.max(Math.round(size / 2), 100) : size;
}

/** The record up to which words are there already. */
async function beginning(db: Database, name: string): Promise<number> {
  if (await isThere(db, name)) return Number((await stateOf(db, name))?.upto ?? 0);
  await db.knex.raw(createWords(db, name));
  await noteState(db, name, { upto: 0 });
  return 0;
}

/**
 * Takes in the words of the records up to one. Nothing is locked in their table: what is written there meanwhile is
 * written beside it as well, and whichever comes second gives way to that.
 */
async function takeIn(
  { db, lease }: Job,
  { table, index }: Place,
  { after, end }: { after: number; end: number | null },
): Promise<number> {
  const upper = end === null ? '' : ' and r.id <= ?';
  const sql = `insert ignore into ${tableSql(db, wordsName(index.beside.name))} (id, words)
    select r.id, ${wordsSql(index)} from ${tableSql(db, table.key)} r where r.id > ?${upper}`;
  await inTransaction(db, async (trx) => {
    await lease.hold(trx);
    await trx.raw(sql, end === null ? [after] : [after, end]);
  });
  const upto = end ?? after;
  await noteState(db, index.beside.name, { upto });
  return upto;
}

/** The last of so many records after one; `null` where the table ends before. */
async function endOf(
  db: Database,
  table: Table,
  after: number,
  size: number,
): Promise<number | null> {
  const [row] = await rowsOf(
    db.knex,
    `select id from ${tableSql(db, table.key)} where id > ? order by id limit 1 offset ${size - 1}`,
    [after],
  );
  return row ? Number(row.id) : null;
}

/** Holds the words against the records, and mends what stands otherwise; gives whether it came to the end. */
async function check(job: Job, name: string): Promise<boolean> {
  const { db } = job;
  if (!(await isThere(db, name))) {
    log.warn({ name }, 'the words of a table are gone; they are taken in anew');
    await markWhole(job, name, false);
    return false;
  }
  let mended = 0;
  for (let after = 0; ;) {
    const place = await placeOf(job, name);
    if (stopped || !place) return false;
    const began = performance.now();
    const end = await endOf(db, place.table, after, pieces.compared);
    mended += await mend(db, place, { after, end });
    if (end === null) break;
    after = end;
    await pause(performance.now() - began);
  }
  if (mended > 0) log.warn({ name, mended }, 'words stood otherwise than in their records');
  await noteState(db, name, { checked_at: db.knex.raw('utc_timestamp(3)'), mended });
  return true;
}

/** Writes the words of a part of the records anew where they stand otherwise; gives in how many. */
async function mend(
  db: Database,
  { table, index }: Place,
  { after, end }: { after: number; end: number | null },
): Promise<number> {
  const [own, words] = [tableSql(db, table.key), tableSql(db, wordsName(index.beside.name))];
  const within = (alias: string) => `${alias}.id > ?${end === null ? '' : ` and ${alias}.id <= ?`}`;
  const bound = end === null ? [after] : [after, end];
  const idsOf = async (sql: string) =>
    (await rowsOf(db.knex, sql, bound)).map(({ id }) => Number(id));
  const other = await idsOf(
    `select r.id as id from ${own} r left join ${words} w on w.id = r.id
     where ${within('r')} and not (cast(w.words as binary) <=> cast(${wordsSql(index)} as binary))`,
  );
  const gone = await idsOf(
    `select w.id as id from ${words} w left join ${own} r on r.id = w.id
     where ${within('w')} and r.id is null`,
  );
  for (let i = 0; i < other.length; i += mendedAtOnce) {
    const part = other.slice(i, i + mendedAtOnce);
    await inTransaction(db, (trx) => writeWords(db, trx, table.key, index, part));
  }
  for (let i = 0; i < gone.length; i += mendedAtOnce) {
    const part = gone.slice(i, i + mendedAtOnce);
    await db.knex.raw(
      `delete from ${words} where id in (${part.map(() => '?').join(', ')}) and not exists (select 1 from ${own} r where r.id = ${words}.id)`,
      part,
    );
  }
  return other.length + gone.length;
}

/** Says in the definition that all words are there, or that they are not. */
async function markWhole(job: Job, name: string, whole: boolean): Promise<void> {
  const { db } = job;
  await structuring(db, async () => {
    const place = await placeOf(job, name);
    if (!place) return;
    const { table } = place;
    const indexes = table.indexes.map((index) =>
      index.beside?.name === name ? { ...index, beside: { name, whole } } : index,
    );
    const change = { table: table.key, statement: null, after: { ...table, indexes } };
    await changeStructure(db, { ...change, by: 'Unisor' });
  });
}

/** Drops the words of tables and columns that are gone. */
async function dropStaleWords(db: Database): Promise<void> {
  const stale = async () => {
    const known = new Set(
      placesIn(await loadTables(db)).map(({ index }) => wordsName(index.beside.name)),
    );
    const there = await db
      .knex('information_schema.tables')
      .where({ table_schema: db.records })
      .where('table_name', 'like', wordsName('%'))
      .select('table_name as name');
    return (there as { name: string }[]).map(({ name }) => name).filter((name) => !known.has(name));
  };
  if ((await stale()).length === 0) return;
  // While nobody is about to make one.
  await structuring(db, async () => {
    for (const name of await stale()) {
      await db.knex.raw(dropTable(db, name));
      await kept(db)
        .where({ name: name.slice(wordsName('').length) })
        .delete();
    }
  });
}

async function isDue(db: Database, name: string, after: number): Promise<boolean> {
  const row = await kept(db)
    .where({ name })
    .whereRaw('checked_at > utc_timestamp(3) - interval ? microsecond', [after * 1000])
    .first('name');
  return row === undefined || !(await isThere(db, name));
}

async function isThere(db: Database, name: string): Promise<boolean> {
  const [row] = await rowsOf(
    db.knex,
    'select 1 as there from information_schema.tables where table_schema = ? and table_name = ?',
    [db.records, wordsName(name)],
  );
  return row !== undefined;
}

async function noteState(
  db: Database,
  name: string,
  state: { upto?: number; checked_at?: Knex.Raw | null; mended?: number },
): Promise<void> {
  await kept(db)
    .insert({ name, ...state })
    .onConflict('name')
    .merge(state);
}

interface StateRow {
  upto: number;
  checked_at: unknown;
  mended: number;
}

async function stateOf(db: Database, name: string): Promise<StateRow | undefined> {
  return kept(db).where({ name }).first('upto', 'checked_at', 'mended');
}

function kept(db: Database) {
  return db.knex('words_beside').withSchema(db.catalog);
}
