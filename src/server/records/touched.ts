import type { Knex } from 'knex';
import type { Table } from '$lib/core/table/definition';
import { keptColumns } from '$lib/core/table/links';
import { scopesOf } from '$lib/core/plan/scopes';
import type { Value } from '$lib/core/values/types';
import { knownEdition, listForms } from '../catalog/forms';
import { loadTables } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import { isClustered, writeLocks, type Lock } from '../database/lock-rows';
import { rowsOf } from '../database/rows';
import { heldRecord } from './limits';

/** A record that is written: its values as they come, its id where it is there already. */
interface Touched {
  id?: number | undefined;
  values: Readonly<Record<string, Value>>;
}

/**
 * Tells saves on other nodes of a cluster that records are written which their limits may depend on: the records
 * themselves, those that they refer to and did refer to, and their table where it is counted as a whole. On a
 * database of one node nothing is done: its own locks are enough.
 */
export async function touchRecords(
  db: Database,
  trx: Runner,
  table: Table,
  records: readonly Touched[],
): Promise<void> {
  if (records.length === 0 || !(await isClustered(db, trx))) return;
  const referring = keptColumns(table).flatMap(({ key, type }) =>
    type.kind === 'reference' ? [{ key, table: type.table }] : [],
  );
  const ids = records.flatMap(({ id }) => (id === undefined ? [] : [id]));
  const before = await referencesBefore(db, trx, table, referring, ids);
  const locks: Lock[] = ids.map((id) => ({ table: table.key, id }));
  for (const values of [...before, ...records.map((record) => record.values)]) {
    for (const { key, table: to } of referring) {
      const id = values[key];
      if (typeof id === 'number') locks.push({ table: to, id });
    }
  }
  if ((await countedWhole({ ...db, knex: trx as Knex })).has(table.key))
    locks.push({ table: table.key, id: null });
  await writeLocks(db, trx, locks);
}

async function referencesBefore(
  db: Database,
  trx: Runner,
  table: Table,
  referring: readonly { key: string }[],
  ids: readonly number[],
): Promise<Record<string, number | null>[]> {
  if (referring.length === 0 || ids.length === 0) return [];
  const columns = referring.map(({ key }) => `\`${key}\``).join(', ');
  const marks = ids.map(() => '?').join(', ');
  const sql = `select ${columns} from ${tableSql(db, table.key)} where id in (${marks})`;
  return (await rowsOf(trx, sql, [...ids])).map((row) =>
    Object.fromEntries(
      referring.map(({ key }) => [key, row[key] === null ? null : Number(row[key])]),
    ),
  );
}

let counted: { newest: string; tables: Set<string> } | null = null;

/** The tables (asked on the connection of a transaction) of which a form that is filled in counts or sums more than what refers to one record. */
async function countedWhole(db: Database): Promise<ReadonlySet<string>> {
  const [row] = await rowsOf(
    db.knex,
    `select concat_ws(' ', max(id), count(*), sum(newest_edition)) as newest from \`${db.catalog}\`.form`,
  );
  const newest = `${db.name} ${String(row?.newest)}`;
  if (counted?.newest === newest) return counted.tables;
  const house = await loadTables(db);
  const found = new Set<string>();
  for (const { key, edition } of await listForms(db)) {
    if (edition === 0) continue;
    const { plan } = await knownEdition(db, house, key, edition);
    for (const { fields } of scopesOf(plan)) {
      for (const { rollup } of fields) {
        const of = rollup && house.get(rollup.table);
        if (of && !heldRecord(of, rollup)) found.add(of.key);
      }
    }
  }
  counted = { newest, tables: found };
  return found;
}
