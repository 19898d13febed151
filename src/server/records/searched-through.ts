import type { Table } from '$lib/core/table/definition';
import type { ValueType } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import { isMissing } from '../database/errors';
import { rowsOf } from '../database/rows';
import { allOf, type Expression, type Piece, type TableQuery } from './query';
import { folded } from './sampled';
import { indexedWords } from './search';

/** So many referred records are looked for; where there are more, rows with them are met soon in any order. */
const mostReferred = 2000;

/**
 * What holds for rows in which some words stand in the records that they refer to, by the index of words of those
 * tables: the database goes from there to the rows. Rows that are found so are tested all the same, since a word may
 * stand apart from the others. `null` where a word could stand in the row itself, or nothing is found this way.
 */
export async function referredPieces(
  db: Database,
  runner: Runner,
  query: TableQuery,
  shown: readonly Expression[],
  words: readonly string[],
): Promise<Piece[] | null> {
  const referred = new Map<string, { to: Table; columns: Expression[] }>();
  const own: ValueType[] = [];
  for (const { sql, type } of shown) {
    const through = isIndexed(type) ? query.referredBy(sql) : null;
    if (!through) own.push(type);
    else {
      const known = referred.get(through.by) ?? { to: through.to, columns: [] };
      known.columns.push({ sql: `r.\`${through.column}\``, type });
      referred.set(through.by, known);
    }
  }
  const apart = words.filter((word) => !own.some((type) => couldHold(type, word)));
  // In several records the words may stand each in another one: the first will do, which is the rarest.
  const wanted = referred.size === 1 ? apart : apart.slice(0, 1);
  if (referred.size === 0 || wanted.length === 0) return null;
  const parts: Piece[] = [];
  for (const [by, { to, columns }] of referred) {
    const matched = await indexedWords(db, to, columns, wanted);
    if (!matched) return null;
    const ids = await idsWith(db, runner, to, matched);
    if (ids === null || ids.length > mostReferred) return null;
    if (ids.length > 0) {
      parts.push({ sql: `r.\`${by}\` in (${ids.map(() => '?').join(', ')})`, bindings: ids });
    }
  }
  if (parts.length === 0) return [{ sql: 'false', bindings: [] }];
  return [
    {
      sql: `(${parts.map(({ sql }) => sql).join(' or ')})`,
      bindings: parts.flatMap(({ bindings }) => bindings),
    },
  ];
}

/** The records of a table that the index of words finds, one more than is wanted at most; `null` where it is gone. */
async function idsWith(
  db: Database,
  runner: Runner,
  { key }: Table,
  matched: readonly Piece[],
): Promise<number[] | null> {
  const { sql, bindings } = allOf(matched);
  const wanted = `select r.id as id from ${tableSql(db, key)} r where ${sql} limit ${mostReferred + 1}`;
  try {
    return (await rowsOf(runner, wanted, bindings)).map(({ id }) => Number(id));
  } catch (error) {
    if (!isMissing(error)) throw error;
    return null;
  }
}

/** Texts have an index of words, wherever they are looked for. */
const isIndexed = ({ kind }: ValueType) => kind === 'text' || kind === 'long_text';

/** Whether a word could begin a word of a value, as the database keeps it. Where that is not sure, it could. */
export function couldHold(type: ValueType, word: string): boolean {
  const digits = /^\d+$/.test(word);
  switch (type.kind) {
    case 'yes_no':
    case 'whole':
    case 'decimal':
    case 'duration':
      return /\p{Nd}/u.test(word);
    case 'date':
      // 2026-03-01: a year, or two digits of a month or day.
      return digits ? word.length <= 2 || /^[12]\d{0,3}$/.test(word) : !/^[a-z]+$/i.test(word);
    case 'option':
      return type.options.some(({ value }) => {
        const plain = /^[\x20-\x7e]*$/.test(value + word);
        return !plain || folded(value).includes(folded(word));
      });
    default:
      return true;
  }
}
