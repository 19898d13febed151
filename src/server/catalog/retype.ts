import type { z } from 'zod';
import type { retypeRequest } from '$lib/core/contract/requests';
import type { Retyping } from '$lib/core/contract/answers';
import { problemsIn } from '$lib/core/plan/checkup';
import { examine } from '$lib/core/wiring/examine';
import { fail, problem, ProblemError } from '$lib/core/problems';
import { columnOf, columnSchema, House, type Column, type Table } from '$lib/core/table/definition';
import { tableProblems } from '$lib/core/table/definition-problems';
import { unreadableConditions } from '$lib/core/table/seen';
import { canBecome, keepsText, retyped, textOf, type Writing } from '$lib/core/table/retype';
import { localeReading } from '$lib/core/values/locale-reading';
import { typePhrase, type Value } from '$lib/core/values/types';
import { reader } from '$lib/core/words/reader';
import type { Database } from '../database/connection';
import {
  columnThere,
  keptColumnSql,
  newColumnSql,
  spareKey,
  swapColumnSql,
  tableSql,
} from '../database/ddl';
import { parseJson } from '../database/json';
import { rowsOf } from '../database/rows';
import { changeStructure, structuring } from '../database/structure';
import { readRoles } from '../access/roles';
import { equalityOf } from '../records/equality';
import { shownRecords } from '../records/read';
import { fromDatabase, toDatabase } from '../records/values';
import { formsNaming } from './plan-uses';
import { ensureIndexes, loadTables, ownColumn, tableFrom } from './tables';
import { wantedIndexes } from '$lib/core/plan/indexes';

/** What a column is to become. */
export type RetypeWish = z.infer<typeof retypeRequest>;

/** So many different values of a column can be looked at. */
const mostDistinct = 1_000_000;
/** So many values that do not fit, and rows of one of them, are told. */
const mostTold = 200;
const together = 1000;

/** A different value of the column, with what becomes of it. */
interface Mapped {
  /** SHA-256 of the value as text: by it rows are found, whatever the collation holds equal. */
  hash: Buffer;
  text: string;
  count: number;
  value: Value;
  fits: boolean;
}

/** What would become of every value of a column, and which forms would not stand any more. Nothing is written. */
export async function lookAtRetype(
  db: Database,
  key: string,
  name: string,
  wish: RetypeWish,
): Promise<Retyping> {
  const tables = await loadTables(db);
  const change = changeOf(tables, key, name, wish);
  return (await looked(db, tables, change, wish)).told;
}

/**
 * Gives a column another type, with its values carried over, so that a crash at any step loses nothing: the new
 * column is filled beside the old one, and takes its place in one statement. The old one is kept until the next
 * change of the column, for the way back.
 */
export async function retypeColumn(
  db: Database,
  key: string,
  name: string,
  wish: RetypeWish,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const tables = await loadTables(db);
    const change = changeOf(tables, key, name, wish);
    const { told, mapped } = await looked(db, tables, change, wish);
    refuse(told, change.after, wish);
    await noteBefore(db, change, await exchange(db, change, mapped, false, by));
    return tableFrom(await loadTables(db), key);
  });
}

/** The way back: the column as it was before its last change of type, as far as values have not changed since. */
export async function unretypeColumn(
  db: Database,
  key: string,
  name: string,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const tables = await loadTables(db);
    const kept = await keptBefore(db, key, name);
    const there = await rowsOf(db.knex, columnThere(db, key, spareKey('was', name)));
    if (!kept || there.length === 0) return fail('retype_no_way_back', {}, 409);
    const { type, required, unique } = kept;
    const wish = { type, required, unique, by: null, corrections: {}, empties: true };
    const change = changeOf(tables, key, name, wish);
    const { told, mapped } = await looked(db, tables, change, wish);
    refuse({ ...told, doubles: [] }, change.after, wish);
    await noteBefore(db, change, await exchange(db, change, mapped, true, by));
    return tableFrom(await loadTables(db), key);
  });
}

/** Forgets what a column was: it goes, or its table does. */
export async function forgetBefore(db: Database, key: string, name?: string): Promise<void> {
  const all = before(db).where({ table_key: key });
  await (name === undefined ? all : all.where({ column_key: name })).delete();
}

/** The columns of a table whose last change of type can be taken back, with what they were, in words. */
export async function waysBack(db: Database, key: string): Promise<Record<string, string>> {
  const known = before(db).where({ table_key: key });
  const rows = await known.select('column_key', 'definition');
  return Object.fromEntries(
    (rows as { column_key: string; definition: unknown }[]).map((row) => [
      row.column_key,
      typePhrase(columnSchema.parse(parseJson(row.definition)).type),
    ]),
  );
}

interface Change {
  table: Table;
  /** The table with the column as it is to be. */
  becomes: Table;
  before: Column;
  after: Column;
}

function changeOf(tables: House, key: string, name: string, wish: RetypeWish): Change {
  const table = tableFrom(tables, key);
  const column = ownColumn(table, name);
  const { type, required, unique } = wish;
  if (!canBecome(column.type, type)) {
    const details = {
      label: column.label,
      from: typePhrase(column.type, tables),
      to: typePhrase(type, tables),
    };
    return fail('retype_not', details, 422, 'type');
  }
  const after = { ...column, type, required, unique };
  const becomes: Table = {
    ...table,
    columns: table.columns.map((c) => (c === column ? after : c)),
    // What the indexes of the column were is not what they would be; those that forms need are made again.
    indexes: table.indexes.filter(({ columns }) => !columns.includes(name)),
  };
  const problems = tableProblems(becomes, tables);
  if (problems.length > 0) throw new ProblemError(problems);
  return { table, becomes, before: column, after };
}

async function looked(
  db: Database,
  tables: House,
  change: Change,
  wish: RetypeWish,
): Promise<{ told: Retyping; mapped: readonly Mapped[] }> {
  const { table, before: was, after } = change;
  const mapped = await mappedValues(db, tables, change, wish);
  const [all] = await rowsOf(
    db.knex,
    `select count(*) as n, count(\`${was.key}\`) as given from ${tableSql(db, table.key)}`,
  );
  const records = Number(all?.n ?? 0);
  const misfits = mapped.filter(({ fits }) => !fits);
  const sum = (list: readonly Mapped[]) => list.reduce((n, { count }) => n + count, 0);
  const empties = sum(mapped.filter(({ fits, value }) => fits && value === null));
  return {
    mapped,
    told: {
      records,
      fits: sum(mapped.filter(({ fits, value }) => fits && value !== null)),
      empty: records - Number(all?.given ?? 0) + empties,
      misfits: misfits.slice(0, mostTold).map(({ text, count }) => ({ text, count })),
      misfitting: sum(misfits),
      doubles: after.unique ? doublesIn(mapped) : [],
      breaks: await brokenForms(db, tables, change),
    },
  };
}

/** Every different value of a column, and what becomes of it. */
async function mappedValues(
  db: Database,
  tables: House,
  { table, before: was, after }: Change,
  { by, corrections }: RetypeWish,
): Promise<Mapped[]> {
  const { locale, zone } = reader();
  const writing: Writing = { reader: reader(), reading: localeReading(locale, zone) };
  const column = `r.\`${was.key}\``;
  const hash = hashSql(column);
  const sql = `select ${hash} as h, min(${column}) as v, count(*) as n from ${tableSql(db, table.key)} r
    where ${column} is not null group by h limit ${mostDistinct + 1}`;
  const rows = await rowsOf(db.long, `set statement max_statement_time = 0 for ${sql}`);
  if (rows.length > mostDistinct) fail('retype_many', { most: mostDistinct });
  const found = rows.map((row) => ({
    hash: row.h as Buffer,
    count: Number(row.n),
    was: fromDatabase(was.type, row.v),
  }));
  const lines =
    was.type.kind === 'reference'
      ? await shownRecords(
          db,
          db.knex,
          tables,
          tableFrom(tables, was.type.table),
          found.map(({ was: id }) => Number(id)),
        )
      : null;
  const texts = found.map(({ was: value }) =>
    lines ? (lines.get(Number(value)) ?? '') : textOf(was.type, value, writing),
  );
  const given = texts.map((text) => (text in corrections ? (corrections[text] ?? '') : text));
  const ids =
    after.type.kind === 'reference' && was.type.kind !== 'reference'
      ? await idsBy(db, tableFrom(tables, after.type.table), by, given)
      : null;
  return found.map(({ hash: h, count, was: same }, i) => {
    const [text = '', meant = ''] = [texts[i], given[i]];
    if (ids) {
      const id = meant.trim() === '' ? null : ids.get(i);
      return { hash: h, text, count, value: id ?? null, fits: id !== undefined };
    }
    if (after.type.kind === 'reference' && was.type.kind === 'reference') {
      const fits = after.type.table === was.type.table;
      return { hash: h, text, count, value: fits ? same : null, fits };
    }
    const made =
      keepsText(was.type, after.type) && meant === text
        ? null
        : retyped(after.type, meant, after.label, writing);
    if (made === null) {
      const length = after.type.kind === 'text' ? after.type.length : Infinity;
      const fits = [...text].length <= length;
      return { hash: h, text, count, value: fits ? text : null, fits };
    }
    return 'value' in made
      ? { hash: h, text, count, value: made.value, fits: true }
      : { hash: h, text, count, value: null, fits: false };
  });
}

/** The records of a table by a column of theirs, in the order of the texts; none where it is nobody, or several. */
async function idsBy(
  db: Database,
  to: Table,
  by: string | null,
  texts: readonly string[],
): Promise<Map<number, number>> {
  const column = columnOf(to, by ?? to.display[0] ?? '');
  if (!column || !to.columns.includes(column)) {
    return fail('unknown_column', { table: to.title, column: by ?? '' }, 422, 'by');
  }
  const ids = new Map<number, number>();
  for (let from = 0; from < texts.length; from += together) {
    const part = texts.slice(from, from + together).map((text) => text.trim());
    const equality = await equalityOf(db.knex, part);
    const rows = await rowsOf(
      db.knex,
      `select o.\`${column.key}\` as v, min(o.id) as id, count(*) as many from ${tableSql(db, to.key)} o
       where o.\`${column.key}\` in (${part.map(() => '?').join(', ')}) group by o.\`${column.key}\``,
      part,
    );
    await equality.learn(rows.map(({ v }) => String(v)));
    const found = new Map(
      rows.flatMap(({ v, id, many }) =>
        Number(many) === 1 ? [[equality.key(String(v)), Number(id)] as const] : [],
      ),
    );
    part.forEach((text, i) => {
      const id = found.get(equality.key(text));
      if (id !== undefined) ids.set(from + i, id);
    });
  }
  return ids;
}

/** Values that would stand twice in a column that may hold each once. */
function doublesIn(mapped: readonly Mapped[]): Retyping['doubles'] {
  const counts = new Map<string, { text: string; count: number }>();
  for (const { value, count } of mapped) {
    if (value === null) continue;
    const text = String(value).trim();
    const same = text.toLowerCase();
    counts.set(same, { text, count: (counts.get(same)?.count ?? 0) + count });
  }
  return [...counts.values()].filter(({ count }) => count > 1).slice(0, mostTold);
}

/** Forms, roles and views in which something would be wrong that is not so now. */
async function brokenForms(
  db: Database,
  tables: House,
  { table, becomes }: Change,
): Promise<Retyping['breaks']> {
  const others = new House([...tables, [table.key, becomes]], tables);
  const broken: Retyping['breaks'] = [];
  for (const { form, plans } of await formsNaming(db, { kind: 'table', name: table.key })) {
    for (const { which, plan } of plans) {
      const known = new Set(problemsIn(examine(plan, tables)).map(({ message }) => message));
      const fresh = problemsIn(examine(plan, others)).filter(({ message }) => !known.has(message));
      const [first] = fresh;
      if (first) {
        broken.push({
          key: form.key,
          title: form.title,
          inUse: which === 'edition',
          why: first.message,
        });
      }
    }
  }
  const viewing = (table.views ?? []).filter(({ filter }) =>
    filter.some(({ path }) => path === columnChanged(table, becomes)),
  );
  const roles = await readRoles(db, db.knex);
  const dark = [...roles.values()].flatMap((role) => {
    const known = unreadableConditions(tables, role).map((one) => one.table);
    const fresh = unreadableConditions(others, role).filter((one) => !known.includes(one.table));
    return fresh.slice(0, 1).map(({ message }) => {
      return { key: '', title: role.title, inUse: true, why: message };
    });
  });
  return [
    ...broken,
    ...dark,
    ...viewing.map(({ title }) => ({
      ...{ key: '', title, inUse: true },
      why: problem('retype_view', { view: title }).message,
    })),
  ];
}

function columnChanged(table: Table, becomes: Table): string {
  return table.columns.find((column, i) => becomes.columns[i] !== column)?.key ?? '';
}

function refuse(told: Retyping, after: Column, wish: RetypeWish): void {
  const { label } = after;
  const using = told.breaks.filter(({ inUse }) => inUse);
  if (using.length > 0) {
    const users = using.map(({ title, why }) => `${title} (${why})`).join('; ');
    fail('retype_breaks', { label, users }, 409);
  }
  if (told.misfitting > 0 && !wish.empties) {
    fail('retype_misfits', { label, count: told.misfitting, to: typePhrase(after.type) });
  }
  if (after.required && told.empty + told.misfitting > 0) {
    fail('column_needs_values', { label, count: told.empty + told.misfitting });
  }
  const [double] = told.doubles;
  if (double) fail('column_has_doubles', { label, given: double.text, count: double.count });
}

/** Fills the new column beside the old one, and has it take its place; gives the newest row of the journal by then. */
async function exchange(
  db: Database,
  { table, becomes, before: was, after }: Change,
  mapped: readonly Mapped[],
  back: boolean,
  by: string,
): Promise<number> {
  const { key } = table;
  const statement = newColumnSql(db, table, after, back);
  await changeStructure(db, { table: key, statement, after: table, by });
  const map = `${key.slice(0, 40)}~map`;
  await db.knex.raw(`drop table if exists ${tableSql(db, map)}`);
  await db.knex.raw(
    `create table ${tableSql(db, map)} (h binary(32) primary key, v ${keptColumnSql(after)} null) engine=innodb`,
  );
  for (let i = 0; i < mapped.length; i += together) {
    const part = mapped.slice(i, i + together);
    const places = part.map(() => '(?, ?)').join(', ');
    await db.knex.raw(
      `insert into ${tableSql(db, map)} (h, v) values ${places}`,
      part.flatMap(({ hash, value }) => [hash, toDatabase(after.type, value)]) as never,
    );
  }
  const [fresh, spare] = [spareKey('new', was.key), spareKey('was', was.key)];
  const own = `r.\`${was.key}\``;
  const journal = `\`${db.catalog}\`.journal`;
  const since = back
    ? `left join (select distinct j.record_id from ${journal} as j where j.table_key = '${key}'
        and j.id > ${await journalThen(db, key, was.key)} and json_exists(j.changes, '$.${was.key}')) c
      on c.record_id = r.id`
    : '';
  // On the way back, what nobody has changed since is as it was.
  const value = back
    ? `if(c.record_id is null and r.\`${spare}\` is not null, r.\`${spare}\`, m.v)`
    : 'm.v';
  const some = back ? `(${own} is not null or r.\`${spare}\` is not null)` : `${own} is not null`;
  const fill = `update ${tableSql(db, key)} r left join ${tableSql(db, map)} m on m.h = ${hashSql(own)} ${since}
    set r.\`${fresh}\` = ${value}, r.row_version = r.row_version + 1 where ${some}`;
  const swap = swapColumnSql(db, table, was, after);
  const found = { late: false, journal: 0 };
  const connection = await db.long.client.acquireConnection();
  const run = (sql: string) => db.long.raw(sql.replaceAll('?', '\\?')).connection(connection);
  try {
    await run('set session max_statement_time = 0');
    // Nobody writes between the filling and the exchange.
    const once = async () => {
      await run(
        `lock tables ${tableSql(db, key)} write, ${tableSql(db, key)} as r write, ${tableSql(db, map)} as m read, ${journal} as j read`,
      );
      const [[late]] = (await run(
        `select 1 as late from ${tableSql(db, key)} as r left join ${tableSql(db, map)} as m on m.h = ${hashSql(own)}
         where ${own} is not null and m.h is null limit 1`,
      )) as [object[]];
      found.late = late !== undefined;
      if (found.late) throw new Error('values were written meanwhile');
      const [[newest]] = (await run(`select max(j.id) as id from ${journal} as j`)) as [
        { id: unknown }[],
      ];
      found.journal = Number(newest?.id ?? 0);
      await run(fill);
      await run(swap);
    };
    // The new column has taken the place of the old one where it is not beside it any more.
    const doneWhen = `select 1 as done from dual where not exists (${columnThere(db, key, fresh)})`;
    await changeStructure(db, { table: key, statement: swap, after: becomes, by, once, doneWhen });
  } catch (error) {
    if (found.late) fail('retype_meanwhile', { label: was.label }, 409);
    throw error;
  } finally {
    // What went wrong before is told, and not that the connection is gone with it.
    await run('unlock tables').catch(() => undefined);
    await run('set session max_statement_time = 30').catch(() => undefined);
    await db.long.client.releaseConnection(connection);
  }
  await db.knex.raw(`drop table if exists ${tableSql(db, map)}`);
  const tables = await loadTables(db);
  for (const { plans } of await formsNaming(db, { kind: 'table', name: key })) {
    for (const { which, plan } of plans) {
      if (which === 'edition') await ensureIndexes(db, wantedIndexes(plan, tables), by);
    }
  }
  return found.journal;
}

/** The hash of what stands in a column, as text. */
function hashSql(column: string): string {
  return `unhex(sha2(cast(${column} as char character set utf8mb4), 256))`;
}

async function noteBefore(
  db: Database,
  { table, before: was }: Change,
  journal: number,
): Promise<void> {
  const definition = JSON.stringify(was);
  await before(db)
    .insert({
      ...{ table_key: table.key, column_key: was.key, definition },
      journal_id: journal,
    })
    .onConflict(['table_key', 'column_key'])
    .merge();
}

/** The newest row of the journal when a column was given another type. */
async function journalThen(db: Database, key: string, name: string): Promise<number> {
  const row = await before(db).where({ table_key: key, column_key: name }).first('journal_id');
  return Number(row?.journal_id ?? 0);
}

async function keptBefore(db: Database, key: string, name: string): Promise<Column | null> {
  const row = await before(db).where({ table_key: key, column_key: name }).first('definition');
  return row ? columnSchema.parse(parseJson(row.definition)) : null;
}

function before(db: Database) {
  return db.knex('column_before').withSchema(db.catalog);
}
