import type { Table, TableIndex } from '$lib/core/table/definition';
import { lastKnown } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { tableSql, wordsName } from '../database/ddl';
import { databaseWords, isMissing } from '../database/errors';
import { log } from '../log';

/**
 * The words of large tables stand beside them, in a table (record, words) with a full-text index of its own. It is
 * filled piece by piece while people save (`keeping/words.ts`); what is saved meanwhile and later is written there in
 * the same transaction, by these functions. What others write into the records past us is found by its check.
 */

/** An index of words that stands in a table of its own. */
export interface BesideIndex extends TableIndex {
  beside: { name: string; whole: boolean };
}

/** The indexes of a table whose words stand beside it. */
export function indexesBeside(table: Table): BesideIndex[] {
  return table.indexes.flatMap(({ beside, ...index }) => (beside ? [{ ...index, beside }] : []));
}

/** The words of the record `r`, in SQL. */
export function wordsSql({ columns }: TableIndex): string {
  return `concat_ws(' ', ${columns.map((column) => `r.\`${column}\``).join(', ')})`;
}

/**
 * Writes the words of records anew that were written right before. `changed` are the columns that were written; all,
 * where none are named.
 */
export async function noteWords(
  db: Database,
  runner: Runner,
  table: string,
  ids: readonly number[],
  changed?: ReadonlySet<string>,
): Promise<void> {
  const known = await lastKnown(db, runner, table);
  if (!known || ids.length === 0) return;
  for (const index of indexesBeside(known)) {
    if (changed && !index.columns.some((column) => changed.has(column))) continue;
    await unlessMissing(() => writeWords(db, runner, table, index, ids));
  }
}

/** Writes the words of records, whatever stood there. */
export async function writeWords(
  db: Database,
  runner: Runner,
  table: string,
  index: BesideIndex,
  ids: readonly number[],
): Promise<void> {
  const places = ids.map(() => '?').join(', ');
  await runner.raw(
    `insert into ${tableSql(db, wordsName(index.beside.name))} (id, words)
     select r.id, ${wordsSql(index)} from ${tableSql(db, table)} r where r.id in (${places})
     on duplicate key update words = values(words)`,
    [...ids],
  );
}

/** Takes the words of a record away that is gone. */
export async function forgetWords(
  db: Database,
  runner: Runner,
  table: string,
  id: number,
): Promise<void> {
  const known = await lastKnown(db, runner, table);
  for (const { beside } of known ? indexesBeside(known) : [])
    await unlessMissing(() =>
      runner.raw(`delete from ${tableSql(db, wordsName(beside.name))} where id = ?`, [id]),
    );
}

/** Nobody is kept from saving where the words are gone, or a column has just got another name: the check mends them. */
async function unlessMissing(write: () => PromiseLike<unknown>): Promise<void> {
  try {
    await write();
  } catch (error) {
    if (!isMissing(error)) throw error;
    log.warn(
      { words: databaseWords(error) },
      'words could not be written; they are mended by the next check',
    );
  }
}
