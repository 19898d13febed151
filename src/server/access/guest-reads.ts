import { Entry } from '$lib/core/entry/entry';
import { isShut, isUntouched } from '$lib/core/entry/shut';
import type { Answer } from '$lib/core/entry/asks';
import { settle } from '$lib/core/entry/settle';
import { openedBeginning } from '$lib/core/entry/beginning';
import { clockFrom } from '$lib/core/formula/clock';
import type { Plan } from '$lib/core/plan/schema';
import { sourceOf } from '$lib/core/wiring/wired';
import { fail } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { sameValue } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { filledOf } from '../records/conflicts';
import { unanswered } from '../records/form-outside';
import { readForm, type ReadRequest } from '../records/form-read';
import { askedForm } from '../records/questions';
import { knownForm } from '../records/wired';
import { databaseReader } from '../records/answers';
import { openRecord } from '../records/open';

/** A guest asks so much at once, and so much of it of systems outside. */
export const mostGuestAsks = 200;
export const mostGuestAsksOutside = 20;

/**
 * What answers the asks of a guest's form, all of a request or some of them, under the values that the form can
 * have: those of the record of the invitation, with what the guest has typed where something can be typed, and
 * chosen of what is offered. What the request says of the values under which it asks does not count.
 */
export async function guestReader(
  db: Database,
  tables: House,
  written: Plan,
  /** The record of the invitation; `null` where a new one is added. */
  record: number | null,
  request: ReadRequest,
  person: string,
): Promise<(asks: ReadRequest['asks']) => Promise<Answer[]>> {
  const { plan } = await askedForm(db, tables, written, request);
  const form = knownForm(plan, tables);
  const wiredOf = ({ grid = '', field }: ReadRequest['asks'][number]) =>
    form.scopes.get(grid)?.fields.get(field) ?? fail('unknown_field', { field }, 400);
  const away = request.asks.filter((ask) => sourceOf(wiredOf(ask), ask.kind)?.from === 'outside');
  if (away.length > mostGuestAsksOutside) fail('too_many_requests', {}, 429);
  const entry = await guestEntry(db, tables, plan, record, request, person);
  return async (asks) => {
    const wished = asks.map((ask) => {
      const { grid = '', row: key } = ask;
      const wired = wiredOf(ask);
      const row = grid === '' ? undefined : entry.rowsOf(grid).get(key ?? '');
      if (grid !== '' && !row) return fail('unknown_field', { field: ask.field }, 400);
      const cell = entry.cell(ask.field, row);
      // Only what stands there, or is offered there, is told of.
      const own = !cell.notOffered || (cell.base !== undefined && sameValue(cell.value, cell.base));
      const sure = wired.narrowedBy.every((name) => entry.named(name, row)?.notOffered !== true);
      const told = ask.kind === 'key' ? ask.current : own ? entry.value(ask.field, row) : null;
      const full = { ...ask, given: entry.given(ask.field, row), current: told ?? null };
      return { full, wired, answered: sure && (ask.kind !== 'record' || told !== null) };
    });
    const asked = wished.filter(({ answered }) => answered).map(({ full }) => full);
    const answers = await readForm(db, tables, plan, { asks: asked }, { name: person });
    const nothing = wished
      .filter(({ answered }) => !answered)
      .map(({ full, wired }) => unanswered({ ...full, grid: '', row: null, cause: null }, wired));
    return [...answers, ...nothing];
  };
}

/** The entry as the guest can have it: what was sent for fields that nobody can fill is left out. */
async function guestEntry(
  db: Database,
  tables: House,
  plan: Plan,
  record: number | null,
  { values, own, texts, rows }: ReadRequest,
  person: string,
): Promise<Entry> {
  const form = knownForm(plan, tables);
  const opened = record === null ? null : await openRecord(db, db.knex, tables, form, record);
  if (!opened && record !== null) {
    return fail('unknown_record', { id: String(record), table: plan.table }, 404);
  }
  const around = { clock: clockFrom(() => new Date()), person: { name: person } };
  const filled = values && filledOf({ values, own, texts, rows });
  const beginning = opened ? openedBeginning(opened) : { mode: 'new' as const };
  const entry = new Entry(form, { ...beginning, filled, around });
  const reader = databaseReader(db, db.knex, tables, form, 'confirm', async (ask, wired) =>
    unanswered(ask, wired),
  );
  await settle(entry, reader);
  if (entry.leave((cell) => isShut(cell) && !isUntouched(cell)) > 0) await settle(entry, reader);
  return entry;
}
