import { asks } from '$lib/core/plan/asked-plan';
import type { AskedHashes, KeptSets } from '$lib/core/plan/asked-sheet';
import type { Plan } from '$lib/core/plan/schema';
import type { WiredForm } from '$lib/core/wiring/form';
import { scopeIn, type OpenedRecord } from '$lib/core/entry/stored';
import { parseText } from '$lib/core/values/parse';
import { isoReading } from '$lib/core/values/reading';
import type { Value } from '$lib/core/values/types';
import { fail } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { loadEdition, type HeldPlan } from '../catalog/forms';
import { loadTables, tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { sheetAsked } from './answered';
import { askedForm } from './questions';
import { knownForm } from './wired';
import { openAll, openRecord } from './open';

/** A form as it is to be filled: an edition, and the stored record that it opens, if any. */
export interface OpenedForm extends HeldPlan {
  opened: OpenedRecord | null;
  /** Values by field that a new entry begins with, as the address carries them by column. */
  carried: Record<string, Value>;
  /** The questions that it asks, by section. */
  sets: KeptSets;
  /** The plan with those questions as fields. */
  asked: Plan;
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
    const { sets, plan: asked } = await askedForm(db, tables, held.plan, {
      values: initials(form, given?.values),
    });
    return { ...held, opened: null, carried: Object.fromEntries(carried), sets, asked };
  }
  const id = wish.record;
  const known = await sheetAsked(db, db.knex, held.plan, id);
  const bare = asksMore(held.plan, known) ? await openRecord(db, db.knex, tables, form, id) : null;
  const inForm = { asked: known, values: bare?.values };
  const { sets, plan: asked } = await askedForm(db, tables, held.plan, inForm);
  const opened = await openRecord(db, db.knex, tables, knownForm(asked, tables), id);
  if (!opened) return fail('unknown_record', { id: String(id), table: table.title }, 404);
  return { ...held, opened, carried: {}, sets, asked };
}

/** Whether a section asks questions of which it is not known which a record was asked. */
function asksMore(plan: Plan, known: AskedHashes): boolean {
  return plan.sections.some((section) => asks(section) && known[section.key] === undefined);
}

/** What the fields of a new entry begin with, as far as that is said and not worked out. */
function initials(form: WiredForm, carried: Readonly<Record<string, Value>> = {}) {
  const begin = [...form.fields.values()].map(({ field }) => [field.key, field.initial] as const);
  const given = Object.entries(carried).filter(([, value]) => value !== null);
  return { ...Object.fromEntries(begin), ...Object.fromEntries(given) };
}
