import {
  fieldValues,
  rowKey,
  scopeIn,
  type OpenedRecord,
  type OpenedRow,
  type StoredRecord,
} from '$lib/core/entry/stored';
import { fail } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { formHouse } from '$lib/core/table/seen';
import type { Value } from '$lib/core/values/types';
import { foundBehind } from '$lib/core/wiring/found-behind';
import type { WiredForm } from '$lib/core/wiring/form';
import type { WiredScope } from '$lib/core/wiring/wired';
import { mostRows } from '$lib/core/entry/rows';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { readColumns } from './columns';
import { withAnswers } from './answered';
import { readStored, type Holding } from './stored';

/**
 * Reads a stored record with the rows of its grids, as a form opens it; `null` where there is none.
 * Held, nobody else changes them until the transaction ends.
 */
export async function openRecord(
  db: Database,
  runner: Runner,
  tables: House,
  form: WiredForm,
  id: number,
  holding: Holding = 'read',
): Promise<OpenedRecord | null> {
  return (await openRecords(db, runner, tables, form, [id], holding)).get(id) ?? null;
}

/** The same of several records at once; those that are not there are left out. */
export async function openRecords(
  db: Database,
  runner: Runner,
  tables: House,
  form: WiredForm,
  ids: readonly number[],
  holding: Holding = 'read',
): Promise<Map<number, OpenedRecord>> {
  const own = formHouse(tables);
  const table = tableFrom(own, form.plan.table);
  const found = await readStored(db, runner, own, table, { column: 'id', is: ids }, holding);
  const stored: StoredRecord[] = [];
  for (const one of found) stored.push(await withAnswers(db, runner, own, form, one, holding));
  const opened = await openAll(db, runner, tables, scopeIn(form, ''), stored);
  const all = new Map(opened.map((one) => [one.stored.id, { ...one, rows: emptyRows() }]));
  /** The record to which a row belongs in the end, by the grid and the row. */
  const roots = new Map<string, number>();
  for (const scope of form.scopes.values()) {
    const { key: grid, link, within } = scope;
    if (link === null) continue;
    const around =
      within === null
        ? [...all.keys()]
        : [...all.values()].flatMap(({ rows }) => (rows[within] ?? []).map((row) => row.stored.id));
    const most = mostRows * ids.length;
    const wish = { column: link, is: around, limit: most + 1 };
    const child = tableFrom(own, scope.table);
    const rows = await readStored(db, runner, own, child, wish, holding);
    for (const row of await openAll(db, runner, tables, scope, rows)) {
      const parent = Number(row.stored.values[link]);
      const root = within === null ? parent : roots.get(`${within} ${parent}`);
      if (root === undefined) continue;
      roots.set(`${grid} ${row.stored.id}`, root);
      const list = all.get(root)?.rows[grid] ?? [];
      if (list.length >= mostRows) fail('too_many_rows', { label: scope.title, limit: mostRows });
      list.push(within === null ? row : { ...row, of: rowKey({ id: parent }) });
      const record = all.get(root);
      if (record) record.rows[grid] = list;
    }
    for (const { rows: known } of all.values()) known[grid] ??= [];
  }
  return all;
}

const emptyRows = (): Record<string, OpenedRow[]> => ({});

/** What the fields of a scope hold of stored records; what only narrows is read of what was chosen. */
export async function openAll(
  db: Database,
  runner: Runner,
  tables: House,
  scope: WiredScope,
  records: readonly StoredRecord[],
): Promise<OpenedRow[]> {
  const opened = records.map((stored) => ({ stored, values: fieldValues(scope, stored) }));
  for (const { from, path, into } of foundBehind(scope)) {
    const type = scope.fields.get(from)?.type;
    if (type?.kind !== 'reference') continue;
    const chosen = opened.map(({ values }) => values[from] ?? null);
    const ids = [...new Set(chosen.filter((id) => typeof id === 'number'))];
    if (ids.length === 0) continue;
    const facts = await readColumns(db, runner, tables, { table: type.table, ids, paths: [path] });
    for (const { values } of opened) {
      const found: Value = facts.get(Number(values[from]))?.[path] ?? null;
      values[into] = found;
    }
  }
  return opened;
}
