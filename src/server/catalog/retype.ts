import type { Retyping } from '$lib/core/contract/answers';
import { problemsIn } from '$lib/core/plan/checkup';
import { examine } from '$lib/core/wiring/examine';
import { fail, problem, ProblemError } from '$lib/core/problems';
import { columnSchema, House, type Column, type Table } from '$lib/core/table/definition';
import { tableProblems } from '$lib/core/table/definition-problems';
import { unreadableConditions } from '$lib/core/table/seen';
import { canBecome } from '$lib/core/table/retype';
import { linkTable, otherSide } from '$lib/core/table/links';
import { idsOf, severalIn, typePhrase } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import {
  besideSql,
  columnThere,
  createLinks,
  linksFromSql,
  newColumnSql,
  spareKey,
  standsSql,
  swapColumnSql,
  tableSql,
} from '../database/ddl';
import { parseJson } from '../database/json';
import { rowsOf } from '../database/rows';
import { changeStructure, dropStaleLinks, mapName, structuring } from '../database/structure';
import { readRoles } from '../access/roles';
import { toDatabase } from '../records/values';
import { formsNaming } from './plan-uses';
import {
  hashSql,
  linkedBy,
  mappedValues,
  type Change,
  type Mapped,
  type RetypeWish,
} from './retype-values';
import { ensureIndexes, loadTables, ownColumn, tableFrom } from './tables';
import { wantedIndexes } from '$lib/core/plan/indexes';

/** So many values that do not fit, and rows of one of them, are told. */
const mostTold = 200;
const together = 1000;

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
    await exchange(db, change, mapped, false, by);
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
    await exchange(db, change, mapped, true, by);
    return tableFrom(await loadTables(db), key);
  });
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
    display: shownBy(table, after),
    // What the indexes of the column were is not what they would be; those that forms need are made again.
    indexes: table.indexes.filter(({ columns }) => !columns.includes(name)),
  };
  const problems = tableProblems(becomes, tables);
  if (problems.length > 0) throw new ProblemError(problems);
  return { table, becomes, before: column, after };
}

/** What shows the records of a table: never a column that holds several. */
function shownBy({ columns, display }: Table, after: Column): string[] {
  if (!severalIn(after.type) || !display.includes(after.key)) return display;
  const left = display.filter((key) => key !== after.key);
  const other = columns.find(({ key, type }) => key !== after.key && !severalIn(type));
  return left.length > 0 || !other ? left : [other.key];
}

async function looked(
  db: Database,
  tables: House,
  change: Change,
  wish: RetypeWish,
): Promise<{ told: Retyping; mapped: readonly Mapped[] }> {
  const { table, before: was, after } = change;
  const mapped = await mappedValues(db, tables, change, wish);
  const stands = standsSql(db, table.key, was);
  const [all] = await rowsOf(
    db.knex,
    `select count(*) as n, count(${stands.value}) as given from ${tableSql(db, table.key)} as r ${stands.join}`,
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
  { table, becomes, before: was, after }: Change,
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
  const { key: name } = after;
  const viewing = (table.views ?? []).filter(({ filter, sort, group }) => {
    const ordered = severalIn(after.type) && (group === name || sort.some((s) => s.path === name));
    return ordered || filter.some(({ path }) => path === name);
  });
  const roles = await readRoles(db, db.knex);
  const dark = [...roles.values()].flatMap((role) => {
    const known = unreadableConditions(tables, role).map((one) => one.table);
    const fresh = unreadableConditions(others, role).filter((one) => !known.includes(one.table));
    return fresh.slice(0, 1).map(({ message }) => {
      return { key: '', title: role.title, inUse: true, why: message };
    });
  });
  const other = otherSide(tables, table.key, was);
  const staysLinked = after.type.kind === 'references' && linkedBy(was.type) === after.type.table;
  const seen = other && !staysLinked ? [other] : [];
  return [
    ...broken,
    ...dark,
    ...seen.map(({ table: key, column: { label } }) => ({
      ...{ key: '', title: tableFrom(tables, key).title, inUse: true },
      why: problem('retype_mirrored', { label }).message,
    })),
    ...viewing.map(({ title }) => ({
      ...{ key: '', title, inUse: true },
      why: problem('retype_view', { view: title }).message,
    })),
  ];
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

/** Fills the new column beside the old one, and has it take its place. */
async function exchange(
  db: Database,
  { table, becomes, before: was, after }: Change,
  mapped: readonly Mapped[],
  back: boolean,
  by: string,
): Promise<void> {
  const { key } = table;
  const statement = newColumnSql(db, table, was, after, back);
  await changeStructure(db, { table: key, statement, after: table, by });
  const [wasLinks, links] = [linkTable(key, was), linkTable(key, after)];
  if (links) {
    await dropStaleLinks(db);
    await db.knex.raw(createLinks(db, key, after));
  }
  const map = mapName(key);
  await db.knex.raw(`drop table if exists ${tableSql(db, map)}`);
  await db.knex.raw(
    `create table ${tableSql(db, map)} (h binary(32) primary key, v ${besideSql(after)} null) engine=innodb`,
  );
  for (let i = 0; i < mapped.length; i += together) {
    const part = mapped.slice(i, i + together);
    const places = part.map(() => '(?, ?)').join(', ');
    await db.knex.raw(
      `insert into ${tableSql(db, map)} (h, v) values ${places}`,
      part.flatMap(({ hash, value }) => [
        hash,
        links ? idsOf(value).join(',') || null : toDatabase(after.type, value),
      ]) as never,
    );
  }
  const [fresh, spare] = [spareKey('new', was.key), spareKey('was', was.key)];
  const { value: own, join } = standsSql(db, key, was);
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
  // Links go with their table: what they were is kept as a list.
  const ids = wasLinks ? `, r.\`${spareKey('ids', was.key)}\` = ${own}` : '';
  const fill = `update ${tableSql(db, key)} r ${join} left join ${tableSql(db, map)} m on m.h = ${hashSql(own)} ${since}
    set r.\`${fresh}\` = ${value}, r.row_version = r.row_version + 1 ${ids} where ${some}`;
  const swap = swapColumnSql(db, table, was, after);
  const locks = [
    `${tableSql(db, key)} write`,
    `${tableSql(db, key)} as r write`,
    `${tableSql(db, map)} as m read`,
    `${journal} as j read`,
    ...(links ? [`${tableSql(db, links.name)} write`] : []),
    ...(after.type.kind === 'references' ? [`${tableSql(db, after.type.table)} as t read`] : []),
    ...(wasLinks ? [`${tableSql(db, wasLinks.name)} as l read`] : []),
  ];
  const found = { late: false };
  const newest = await rowsOf(db.knex, `select max(id) as id from ${journal}`);
  const kept = { column: was, journal: Number(newest[0]?.id ?? 0) };
  const connection = await db.long.client.acquireConnection();
  const run = (sql: string) => db.long.raw(sql.replaceAll('?', '\\?')).connection(connection);
  try {
    await run('set session max_statement_time = 0');
    // Nobody writes between the filling and the exchange.
    const once = async () => {
      await run(`lock tables ${locks.join(', ')}`);
      const [[late]] = (await run(
        `select 1 as late from ${tableSql(db, key)} as r ${join} left join ${tableSql(db, map)} as m on m.h = ${hashSql(own)}
         where ${own} is not null and m.h is null limit 1`,
      )) as [object[]];
      found.late = late !== undefined;
      if (found.late) throw new Error('values were written meanwhile');
      await run(fill);
      if (links) await run(linksFromSql(db, key, after, fresh));
      await run(swap);
    };
    // The new column has taken the place of the old one where it is not beside it any more.
    const doneWhen = `select 1 as done from dual where not exists (${columnThere(db, key, fresh)})`;
    const change = { table: key, statement: swap, after: becomes, by, once, doneWhen };
    await changeStructure(db, { ...change, before: kept });
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
  await dropStaleLinks(db);
  const tables = await loadTables(db);
  for (const { plans } of await formsNaming(db, { kind: 'table', name: key })) {
    for (const { which, plan } of plans) {
      if (which === 'edition') await ensureIndexes(db, wantedIndexes(plan, tables), by);
    }
  }
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
