import type { Entry } from '$lib/core/entry/entry';
import { changedBesides } from '$lib/core/entry/write-plan';
import type { Rollup } from '$lib/core/plan/schema';
import { columnOf, type Table } from '$lib/core/table/definition';
import type { WiredField } from '$lib/core/wiring/wired';
import { reachedFrom, type GraphNode } from '$lib/core/wiring/graph';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import { rowsOf } from '../database/rows';
import { writeLocks, type Lock } from '../database/lock-rows';

/**
 * Has what the checks of an entry depend on locked, so that saves which could break a limit together follow
 * one another. Where a rollup or a check hangs on a record (the score whose copies are counted), that
 * record is locked: writing a record that refers to it waits too, since its foreign key is checked.
 * Otherwise the catalog's row of the table is. In a cluster that holds on one node only: there they are written as
 * well. What is held already is named; gives the statements that take what is wanted besides, all of them asked for:
 * what is read after them, on the same connection, is as it will stay.
 */
export function lockLimits(
  db: Database,
  trx: Runner,
  entry: Entry,
  { held, clustered }: { held: Set<string>; clustered: boolean },
): Promise<unknown>[] {
  const locks = locksOf(entry).filter((lock) => !held.has(nameOf(lock)));
  for (const lock of locks) held.add(nameOf(lock));
  const asked: Promise<unknown>[] = [];
  if (clustered) asked.push(writeLocks(db, trx, locks));
  const byTable = new Map<string, number[]>();
  for (const { table, id } of locks) {
    if (id === null) {
      const sql = `select id from \`${db.catalog}\`.table_def where table_key = ? for update`;
      asked.push(rowsOf(trx, sql, [table]));
    } else byTable.set(table, [...(byTable.get(table) ?? []), id]);
  }
  for (const [table, ids] of byTable) {
    for (let from = 0; from < ids.length; from += mostTogether) {
      const some = ids.slice(from, from + mostTogether);
      const places = some.map(() => '?').join(', ');
      // By the primary key, and so in its order, which is that of everybody.
      const sql = `select id from ${tableSql(db, table)} force index (primary) where id in (${places}) order by id for update`;
      asked.push(rowsOf(trx, sql, some));
    }
  }
  return asked;
}

/** So many records are locked in one statement. */
const mostTogether = 500;

/** The locks in one order for everybody, so that none waits for another in a circle. */
function locksOf(entry: Entry): Lock[] {
  const found = new Map<string, Lock>();
  const add = (lock: Lock) => void found.set(nameOf(lock), lock);
  for (const lock of changedBesides(entry)) add(lock);
  for (const node of entry.form.graph.nodes) {
    if (node.aspect !== 'read' && node.aspect !== 'record') continue;
    if (!leadsToCheck(node)) continue;
    const rows = node.wired.scope === '' ? [entry.root] : entry.rows(node.wired.scope);
    for (const row of rows) {
      for (const lock of node.aspect === 'record'
        ? factLocks(entry, node.wired, row)
        : rollupLocks(entry, node.wired, row)) {
        add(lock);
      }
    }
  }
  return [...found].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, lock]) => lock);
}

/** Names a lock so that the names are in the order in which locks are taken. */
function nameOf({ table, id }: Lock): string {
  return `${table} ${String(id ?? '').padStart(20, '0')}`;
}

type Row = Entry['root'];

function factLocks(entry: Entry, { type, field }: WiredField, row: Row): Lock[] {
  const id = entry.value(field.key, row);
  return type.kind === 'reference' && typeof id === 'number' ? [{ table: type.table, id }] : [];
}

function rollupLocks(entry: Entry, { field }: WiredField, row: Row): Lock[] {
  const { rollup } = field;
  const table = rollup && entry.form.tables.get(rollup.table);
  if (!rollup || !table) return [];
  const held = heldRecord(table, rollup);
  if (!held) return [{ table: rollup.table, id: null }];
  const id = entry.named(held.field, row)?.value;
  return typeof id === 'number' ? [{ table: held.table, id }] : [];
}

/**
 * The record on which a rollup over a table hangs: the table that it is of, and the field that names it. `null` where
 * it counts more than what refers to one record; the table as a whole is locked then.
 */
export function heldRecord(
  of: Table,
  { narrowings }: Rollup,
): { table: string; field: string } | null {
  for (const { path, operator, field } of narrowings) {
    const type = columnOf(of, path)?.type;
    if (operator === 'equal' && type?.kind === 'reference') return { table: type.table, field };
  }
  return null;
}

function leadsToCheck(node: GraphNode): boolean {
  return [...reachedFrom([node])].some(({ aspect }) => aspect === 'check');
}
