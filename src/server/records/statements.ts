import { rowsOf } from '../database/rows';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import type { Table, House } from '$lib/core/table/definition';
import { keptColumns, linkTable } from '$lib/core/table/links';
import type { Value } from '$lib/core/values/types';
import { referencesTo } from '../catalog/usage';
import type { Database, Runner } from '../database/connection';
import { tableSql, uniqueName } from '../database/ddl';
import { duplicateIndex, isReferenced, missingReference } from '../database/errors';
import { keepFiles } from '../files/keep';
import { nextCode } from './codes';
import { writeLinks } from './links';
import { touchRecords } from './touched';
import { toDatabase } from './values';
import { forgetWords, noteWords } from './words-beside';

type Values = Readonly<Record<string, Value>>;

/** Where a problem with a column of a record belongs. */
export type PathOf = (column: string) => string;

/** A record that is to be inserted: its checked values, and where its problems belong. */
export interface NewRecord {
  values: Values;
  pathOf: PathOf;
  /** Its id, where a record that was deleted comes back. */
  id?: number;
}

/** At most so many values in one statement; the protocol takes 65,535. */
const mostBound = 20_000;

/** Inserts one record of checked values; gives its id. Fails with a problem at the column it concerns. */
export async function insertRecord(
  db: Database,
  runner: Runner,
  table: Table,
  values: Values,
  by: string,
  pathOf: PathOf = (column) => column,
): Promise<number> {
  const [made] = await insertRecords(db, runner, table, [{ values, pathOf }], by);
  return made?.id ?? 0;
}

/** Inserts records of one table, in few statements; gives their ids in order, and what was written. */
export async function insertRecords(
  db: Database,
  runner: Runner,
  table: Table,
  records: readonly NewRecord[],
  by: string,
): Promise<{ id: number; values: Values }[]> {
  const numbered: NewRecord[] = [];
  for (const record of records) {
    const codes = await codesFor(db, runner, table, record.values);
    numbered.push({ ...record, values: { ...record.values, ...codes } });
  }
  await keepFiles(db, runner, table, numbered, by);
  await touchRecords(db, runner, table, numbered);
  const chunk = Math.max(1, Math.floor(mostBound / (table.columns.length + 3)));
  const ids: number[] = [];
  for (let i = 0; i < numbered.length; i += chunk) {
    ids.push(...(await insertChunk(db, runner, table, numbered.slice(i, i + chunk), by)));
  }
  for (const [i, { values, pathOf }] of numbered.entries()) {
    await mapped(table, values, () => writeLinks(db, runner, table, ids[i] ?? 0, values), pathOf);
  }
  return numbered.map(({ values }, i) => ({ id: ids[i] ?? 0, values }));
}

async function insertChunk(
  db: Database,
  runner: Runner,
  table: Table,
  records: readonly NewRecord[],
  by: string,
): Promise<number[]> {
  const written = keptColumns(table).filter(({ key }) => records.some((r) => key in r.values));
  const withId = records.some((record) => record.id !== undefined);
  const names = [
    ...written.map((c) => `\`${c.key}\``),
    ...['`created_by`', '`updated_by`'],
    ...(withId ? ['`id`'] : []),
  ];
  const tuple = `(${names.map(() => '?').join(', ')})`;
  const sql = `insert into ${tableSql(db, table.key)} (${names.join(', ')}) values ${records.map(() => tuple).join(', ')} returning \`id\``;
  const bound = records.flatMap(({ values, id }) => [
    ...written.map((column) => toDatabase(column.type, values[column.key] ?? null)),
    ...[by, by],
    ...(withId ? [id ?? null] : []),
  ]);
  try {
    const ids = (await rowsOf(runner, sql, bound)).map((row) => Number(row.id));
    await noteWords(db, runner, table.key, ids);
    return ids;
  } catch (error) {
    const [first] = records;
    const found = first && writeProblem(error, table, first.values);
    if (!found) throw error;
    // Which of several records was refused shows when they are written one by one.
    if (records.length > 1) {
      const ids: number[] = [];
      for (const record of records)
        ids.push(...(await insertChunk(db, runner, table, [record], by)));
      return ids;
    }
    throw new ProblemError({ ...found, path: first.pathOf(found.path) });
  }
}

/**
 * Changes columns of a record. Gives its new version, or `null` where it is not at `version` any more
 * (whatever the version, where none is named).
 */
export async function updateRecord(
  db: Database,
  runner: Runner,
  table: Table,
  wish: { id: number; version: number | null; values: Values; by: string; pathOf?: PathOf },
): Promise<number | null> {
  const { id, version, values, by, pathOf } = wish;
  await keepFiles(db, runner, table, [{ values, pathOf: pathOf ?? ((column) => column) }], by);
  await touchRecords(db, runner, table, [{ id, values }]);
  const kept = keptColumns(table).filter((column) => column.key in values);
  const sets = kept.map((column) => `\`${column.key}\` = ?`);
  const stamps = ['`row_version` = `row_version` + 1', '`updated_at` = utc_timestamp()'];
  const isAt = version === null ? '' : ' and `row_version` = ?';
  const sql = `update ${tableSql(db, table.key)} set ${[...sets, ...stamps, '`updated_by` = ?'].join(', ')} where \`id\` = ?${isAt}`;
  const bound = kept.map((column) => toDatabase(column.type, values[column.key] ?? null));
  const [result] = await mapped(
    table,
    values,
    () => runner.raw(sql, [...bound, by, id, ...(version === null ? [] : [version])]),
    pathOf,
  );
  if (result.affectedRows === 0) return null;
  await mapped(table, values, () => writeLinks(db, runner, table, id, values), pathOf);
  await noteWords(db, runner, table.key, [id], new Set(kept.map(({ key }) => key)));
  const [[row]] = await runner.raw(
    `select \`row_version\` as version from ${tableSql(db, table.key)} where \`id\` = ?`,
    [id],
  );
  return Number(row.version);
}

/** Deletes a record; one in use is refused with what uses it. Gives whether it was there. */
export async function removeRecord(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  wish: { id: number; version: number | null; path?: string },
): Promise<boolean> {
  const { id, version, path = '' } = wish;
  await touchRecords(db, runner, table, [{ id, values: {} }]);
  const isAt = version === null ? '' : ' and `row_version` = ?';
  const sql = `delete from ${tableSql(db, table.key)} where \`id\` = ?${isAt}`;
  try {
    const [result] = await runner.raw(sql, [id, ...(version === null ? [] : [version])]);
    if (result.affectedRows === 0) return false;
    await forgetWords(db, runner, table.key, id);
    return true;
  } catch (error) {
    if (!isReferenced(error)) throw error;
    return fail('in_use', { users: await usersOf(db, runner, tables, table, id) }, 409, path);
  }
}

/** A code for each column that numbers its records by itself and was given none. */
async function codesFor(
  db: Database,
  runner: Runner,
  table: Table,
  values: Values,
): Promise<Record<string, string>> {
  const codes: Record<string, string> = {};
  for (const column of table.columns) {
    const { type } = column;
    if (type.kind !== 'code' || (values[column.key] ?? null) !== null) continue;
    const year = new Date().getFullYear();
    codes[column.key] = await nextCode(db, runner, table, { ...column, type }, year);
  }
  return codes;
}

/** Turns what the database refuses into a problem at its column. */
async function mapped<T>(
  table: Table,
  values: Values,
  write: () => PromiseLike<T>,
  pathOf: PathOf = (column) => column,
): Promise<T> {
  try {
    return await write();
  } catch (error) {
    const found = writeProblem(error, table, values);
    if (!found) throw error;
    throw new ProblemError({ ...found, path: pathOf(found.path) });
  }
}

function writeProblem(error: unknown, table: Table, values: Values): Problem | null {
  const index = duplicateIndex(error);
  const taken = table.columns.find((column) => index === uniqueName(column.key));
  if (taken) {
    const given = String(values[taken.key]);
    return problem('not_unique', { label: taken.label, given, table: table.title }, taken.key);
  }
  const missing = missingReference(error);
  const dangling = table.columns.find(
    (column) => column.key === missing || linkTable(table.key, column)?.other === missing,
  );
  if (!dangling) return null;
  return problem('record_gone', { label: dangling.label }, dangling.key);
}

async function usersOf(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  id: number,
): Promise<string> {
  const bound = 100;
  const users: string[] = [];
  for (const { table: other, column } of referencesTo(tables, table.key)) {
    const links = linkTable(other.key, column);
    const [name, by] = links ? [links.name, links.other] : [other.key, column.key];
    const hidden = tables.sight !== null && tables.sight.get(other.key)?.when !== null;
    if (hidden) continue;
    const sql = `select count(*) as n from (select 1 from ${tableSql(db, name)} where \`${by}\` = ? limit ${bound}) as counted`;
    const [[row]] = await runner.raw(sql, [id]);
    const n = Number(row.n);
    if (n === 0) continue;
    const many = n === bound ? `${bound} or more records` : n === 1 ? '1 record' : `${n} records`;
    users.push(`${many} of ${other.title} (${column.label})`);
  }
  return users.length > 0 ? users.join(', ') : 'other records';
}
