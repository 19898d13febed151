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
  const counter = () => trx('code_counter').withSchema(db.catalog);
  const place = { table_key: table.key, column_key: column.key, year: counted };
  await counter()
    .insert({ ...place, last: 0 })
    .onConflict()
    .ignore();
  const row = await counter().where(place).forUpdate().first('last');
  const before = Number(row?.last ?? 0);
  const last =
    before > 0 ? before : await greatest(db, trx, table, column.key, codeFrame(pattern, year));
  await counter()
    .where(place)
    .update({ last: last + 1 });
  return codeOf(pattern, year, last + 1);
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
