import { scopeIn, type OpenedRecord } from '$lib/core/entry/stored';
import { parseText } from '$lib/core/values/parse';
import { isoReading } from '$lib/core/values/reading';
import type { Value } from '$lib/core/values/types';
import { fail } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { loadEdition, type HeldPlan } from '../catalog/forms';
import { loadTables, tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { knownForm } from './form-read';
import { openAll, openRecord } from './open';

/** A form as it is to be filled: an edition, and the stored record that it opens, if any. */
export interface OpenedForm extends HeldPlan {
  opened: OpenedRecord | null;
  /** Values by field that a new entry begins with, as the address carries them by column. */
  carried: Record<string, Value>;
}

/** Opens a form: new, with columns carried along (`with.loan=5`), or with a stored record. */
export async function openForForm(
  db: Database,
  formKey: string,
  wish: { record?: number; edition?: number; carry?: ReadonlyMap<string, string> },
  house?: House,
): Promise<OpenedForm> {
  const held = await loadEdition(db, formKey, wish.edition);
  const tables = house ?? (await loadTables(db));
  const table = tableFrom(tables.whole, held.plan.table);
  const form = knownForm(held.plan, tables);
  if (wish.record === undefined) {
    const values: Record<string, Value> = {};
    for (const [key, text] of wish.carry ?? []) {
      const column = table.columns.find((candidate) => candidate.key === key);
      const parsed = column && parseText(column.type, text, column.label, isoReading);
      if (parsed && 'value' in parsed) values[key] = parsed.value;
    }
    const stored = { id: 0, version: 0, values };
    const [given] = await openAll(db, db.knex, tables, scopeIn(form, ''), [stored]);
    const carried = Object.entries(given?.values ?? {}).filter(([, value]) => value !== null);
    return { ...held, opened: null, carried: Object.fromEntries(carried) };
  }
  const id = wish.record;
  const opened = await openRecord(db, db.knex, tables, form, id);
  if (!opened) return fail('unknown_record', { id: String(id), table: table.title }, 404);
  return { ...held, opened, carried: {} };
}
