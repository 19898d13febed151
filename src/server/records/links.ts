import type { Column, Table } from '$lib/core/table/definition';
import { linkTable } from '$lib/core/table/links';
import { idsOf, type Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';

/** Brings the links of a record into line with the values of its columns of several references. */
export async function writeLinks(
  db: Database,
  runner: Runner,
  table: Table,
  id: number,
  values: Readonly<Record<string, Value>>,
): Promise<void> {
  for (const column of table.columns) {
    if (column.key in values) await writeColumn(db, runner, table, column, id, values);
  }
}

async function writeColumn(
  db: Database,
  runner: Runner,
  table: Table,
  column: Column,
  id: number,
  values: Readonly<Record<string, Value>>,
): Promise<void> {
  const links = linkTable(table.key, column);
  if (!links) return;
  const name = tableSql(db, links.name);
  const [own, other] = [`\`${links.own}\``, `\`${links.other}\``];
  const ids = idsOf(values[column.key] ?? null);
  const kept = ids.length > 0 ? ` and ${other} not in (${ids.map(() => '?').join(', ')})` : '';
  await runner.raw(`delete from ${name} where ${own} = ?${kept}`, [id, ...ids]);
  if (ids.length === 0) return;
  const pairs = ids.map(() => '(?, ?)').join(', ');
  // A pair that is there already stays; any other refusal must be told.
  const sql = `insert into ${name} (${own}, ${other}) values ${pairs} on duplicate key update ${own} = ${own}`;
  await runner.raw(
    sql,
    ids.flatMap((linked) => [id, linked]),
  );
}
