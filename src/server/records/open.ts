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
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { readColumns } from './columns';
import { withAnswers } from './answered';
import { readStored, type Holding } from './stored';

/** A form holds at most so many rows of one grid. */
export const mostRows = 5000;

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
  const own = formHouse(tables);
  const table = tableFrom(own, form.plan.table);
  const [found] = await readStored(db, runner, own, table, { column: 'id', is: [id] }, holding);
  if (!found) return null;
  const stored = await withAnswers(db, runner, own, form, found, holding);
  const root = scopeIn(form, '');
  const [opened] = await openAll(db, runner, tables, root, [stored]);
  const rows: Record<string, OpenedRow[]> = {};
  for (const scope of form.scopes.values()) {
    const { link, within } = scope;
    if (link === null) continue;
    const around = within === null ? [id] : (rows[within] ?? []).map(({ stored: { id } }) => id);
    const wish = { column: link, is: around, limit: mostRows + 1 };
    const child = tableFrom(own, scope.table);
    const found = await readStored(db, runner, own, child, wish, holding);
    if (found.length > mostRows) fail('too_many_rows', { label: scope.title, limit: mostRows });
    const opened = await openAll(db, runner, tables, scope, found);
    rows[scope.key] =
      within === null
        ? opened
        : opened.map((row) => ({ ...row, of: rowKey({ id: Number(row.stored.values[link]) }) }));
  }
  return { stored, values: opened?.values ?? {}, rows };
}

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
