import type { Column, Table } from '$lib/core/table/definition';
import { codeFrame, codeOf } from '$lib/core/values/code';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import { likeText } from './query';

/**
 * The next code of a column. The counter's row stays locked until the transaction ends, so that codes
 * have no gaps and none is given twice; codes that came with imported records are passed over.
 */
export async function nextCode(
  db: Database,
  trx: Runner,
  table: Table,
  column: Column & { type: { kind: 'code'; pattern: string } },
  year: number,
): Promise<string> {
  const { pattern } = column.type;
  const counted = pattern.includes('{yyyy}') ? year : 0;
  const place = [table.key, column.key, counted];
  const counter = `\`${db.catalog}\`.code_counter`;
  const [next] = await trx.raw(
    `update ${counter} set last = last_insert_id(last + 1) where table_key = ? and column_key = ? and year = ? and last > 0`,
    place,
  );
  if (Number(next.affectedRows) > 0) return codeOf(pattern, year, Number(next.insertId));
  // The first of this year: behind those that came with imported records. Who else is first waits here.
  const first = 1 + (await greatest(db, trx, table, column.key, codeFrame(pattern, year)));
  const [made] = await trx.raw(
    `insert into ${counter} (table_key, column_key, year, last) values (?, ?, ?, ?) on duplicate key update last = last_insert_id(if(last > 0, last + 1, values(last)))`,
    [...place, first],
  );
  // MariaDB counts one row for an insert, two for an update.
  const given = Number(made.affectedRows) === 1 ? first : Number(made.insertId);
  return codeOf(pattern, year, given);
}

/** The greatest number among the codes that are there already. */
async function greatest(
  db: Database,
  trx: Runner,
  table: Table,
  column: string,
  { before, behind }: { before: string; behind: string },
): Promise<number> {
  const digits = `substring(\`${column}\`, ?, char_length(\`${column}\`) - ?)`;
  const sql = `select max(cast(${digits} as unsigned)) as n from ${tableSql(db, table.key)} where \`${column}\` like ? and ${digits} regexp '^[0-9]+$'`;
  const cut = [before.length + 1, before.length + behind.length];
  const like = `${likeText(before)}%${likeText(behind)}`;
  const [[row]] = await trx.raw(sql, [...cut, like, ...cut]);
  return Number(row?.n ?? 0);
}
