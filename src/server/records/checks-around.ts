import { formsNaming } from '../catalog/plan-uses';
import type { Knex } from 'knex';
import { Entry } from '$lib/core/entry/entry';
import { settle } from '$lib/core/entry/settle';
import { openedBeginning } from '$lib/core/entry/beginning';
import { clockFrom } from '$lib/core/formula/clock';
import { problem, ProblemError } from '$lib/core/problems';
import { columnOf, type House } from '$lib/core/table/definition';
import type { Value } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';
import type { WiredField, WiredScope } from '$lib/core/wiring/wired';
import { reachedFrom } from '$lib/core/wiring/graph';
import { sourceField } from '$lib/core/wiring/sources';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';
import { rememberedOutside } from './form-outside';
import { knownForm } from './wired';
import { databaseReader } from './answers';
import { openRecord } from './open';

/** A record that is written outside of a form, with its values before and after; `null` where it is not there. */
export interface WrittenRecord {
  table: string;
  id: number;
  before: Readonly<Record<string, Value>> | null;
  after: Readonly<Record<string, Value>> | null;
}

/** So many records of one form are looked at, the newest first: a limit that one of them breaks is broken. */
const mostLooked = 30;

/**
 * Has something written that is no filling of a form (an undo, a restoring), and holds the published forms
 * against it that have to do with it: the records themselves, and those whose checks count them. A check that
 * held before and does not afterwards refuses all of it. What limits hang on is locked first.
 */
export async function keepingChecks<T>(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  written: readonly WrittenRecord[],
  by: string,
  write: () => Promise<T>,
): Promise<T> {
  const forms = await formsAround(db, tables, written);
  for (const form of forms) await lockCounted(db, trx, form, written);
  const before = await broken(db, trx, tables, forms, written, by);
  const result = await write();
  const after = await broken(db, trx, tables, forms, written, by);
  // What did not hold before does not have to hold now, whatever it says.
  const fresh = [...after].filter(([check]) => !before.has(check)).map(([, message]) => message);
  const said = [...new Set(fresh)].map((message) => ({ ...problem('check_failed'), message }));
  if (said.length > 0) throw new ProblemError(said);
  return result;
}

/** The published forms in which any of the written tables stands, or is counted by what is checked. */
async function formsAround(
  db: Database,
  tables: House,
  written: readonly WrittenRecord[],
): Promise<WiredForm[]> {
  const changed = new Set(written.map(({ table }) => table));
  const found: WiredForm[] = [];
  const naming = await Promise.all(
    [...changed].map((name) => formsNaming(db, { kind: 'table', name })),
  );
  const plans = naming.flat().flatMap((one) => one.plans);
  const published = new Set(
    plans.flatMap(({ which, plan }) => (which === 'edition' ? [plan] : [])),
  );
  for (const plan of published) {
    if (plan.through || !tables.has(plan.table)) continue;
    const form = knownForm(plan, tables);
    const holds = [...form.scopes.values()].some(({ table }) => changed.has(table));
    if (holds || counting(form).some(({ field }) => changed.has(field.rollup?.table ?? ''))) {
      found.push(form);
    }
  }
  return found;
}

/** The fields of a form that count records of a table, and on which a check hangs. */
function counting(form: WiredForm): WiredField[] {
  return form.graph.nodes.flatMap((node) => {
    if (node.aspect !== 'read' || !node.wired.field.rollup) return [];
    return [...reachedFrom([node])].some(({ aspect }) => aspect === 'check') ? [node.wired] : [];
  });
}

/** By which field of the form the counted records are narrowed, and which column of theirs it is compared with. */
function countedBy(
  form: WiredForm,
  wired: WiredField,
): { column: string; source: WiredField } | null {
  const { rollup } = wired.field;
  const table = rollup && form.tables.get(rollup.table);
  for (const { path, operator, field } of rollup?.narrowings ?? []) {
    const type = table && columnOf(table, path)?.type;
    const source = sourceField(form.scopes, wired.scope, field);
    if (operator === 'equal' && type?.kind === 'reference' && source)
      return { column: path, source };
  }
  return null;
}

/** The values of a column in what is written, before and after. */
function valuesIn(written: readonly WrittenRecord[], table: string, column: string): number[] {
  const values = written
    .filter((one) => one.table === table)
    .flatMap(({ before, after }) => [before?.[column], after?.[column]]);
  return [...new Set(values.filter((value) => typeof value === 'number'))];
}

/** Locks the records by which is counted, so that nobody else counts meanwhile. */
async function lockCounted(
  db: Database,
  trx: Knex.Transaction,
  form: WiredForm,
  written: readonly WrittenRecord[],
): Promise<void> {
  for (const wired of counting(form)) {
    const by = countedBy(form, wired);
    const table = form.tables.get(wired.field.rollup?.table ?? '');
    const type = by && table && columnOf(table, by.column)?.type;
    if (!by || !table || type?.kind !== 'reference') continue;
    const ids = valuesIn(written, table.key, by.column);
    if (ids.length === 0) continue;
    const places = ids.map(() => '?').join(', ');
    const sql = `select id from ${tableSql(db, type.table)} where id in (${places}) order by id for update`;
    await trx.raw(sql, ids);
  }
}

/** The checks that the records do not pass which have to do with what is written, by their places, with what they say. */
async function broken(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  forms: readonly WiredForm[],
  written: readonly WrittenRecord[],
  by: string,
): Promise<Map<string, string>> {
  const found = new Map<string, string>();
  const around = { clock: clockFrom(() => new Date()), person: { name: by } };
  const { recalls } = rememberedOutside(db, tables);
  for (const form of forms) {
    for (const record of await recordsAround(db, trx, form, written)) {
      const opened = await openRecord(db, trx, tables, form, record);
      if (!opened) continue;
      const entry = new Entry(form, { ...openedBeginning(opened), around });
      await settle(entry, databaseReader(db, trx, tables, form, 'confirm', recalls));
      for (const [grid, { list }] of form.scopes) {
        for (const row of grid === '' ? [entry.root] : entry.rows(grid)) {
          for (const { field, index } of list) {
            const { hidden, refusals } = entry.cell(field.key, row);
            if (hidden) continue;
            const place = `${form.plan.title} ${record} ${grid} ${row.stored?.id} ${index}`;
            for (const [check, message] of refusals) found.set(`${place} ${check}`, message);
          }
        }
      }
    }
  }
  return found;
}

/** The records of a form that are written themselves, hold a written one in their lines, or count it. */
async function recordsAround(
  db: Database,
  trx: Knex.Transaction,
  form: WiredForm,
  written: readonly WrittenRecord[],
): Promise<number[]> {
  const found = new Set<number>();
  for (const scope of form.scopes.values()) {
    const own = written.filter(({ table }) => table === scope.table).map(({ id }) => id);
    const held = scope.link === null ? [] : valuesIn(written, scope.table, scope.link);
    for (const id of await rootsOf(db, trx, form, scope, 'id', own)) found.add(id);
    // Of a line that is gone the record around it is known by what it was.
    const around = form.scopes.get(scope.within ?? '');
    if (around) for (const id of await rootsOf(db, trx, form, around, 'id', held)) found.add(id);
  }
  for (const wired of counting(form)) {
    const { rollup } = wired.field;
    const by = countedBy(form, wired);
    const source = by?.source;
    const scope = source && form.scopes.get(source.scope);
    if (!by || !rollup || !scope || source.field.savesTo === null) continue;
    const values = valuesIn(written, rollup.table, by.column);
    for (const id of await rootsOf(db, trx, form, scope, source.field.savesTo, values))
      found.add(id);
  }
  return [...found].sort((a, b) => b - a).slice(0, mostLooked);
}

/** The records of the form itself in whose scope a column holds one of some values. */
async function rootsOf(
  db: Database,
  trx: Knex.Transaction,
  form: WiredForm,
  scope: WiredScope,
  column: string,
  values: readonly number[],
): Promise<number[]> {
  if (values.length === 0) return [];
  const places = values.map(() => '?').join(', ');
  const wanted = scope.link ?? 'id';
  const sql = `select distinct \`${wanted}\` as id from ${tableSql(db, scope.table)} where \`${column}\` in (${places}) order by 1 desc limit ${mostLooked}`;
  const [rows] = await trx.raw(sql, [...values]);
  const ids = (rows as { id: unknown }[]).flatMap(({ id }) => (id === null ? [] : [Number(id)]));
  const around = scope.link === null ? undefined : form.scopes.get(scope.within ?? '');
  return around && around.key !== '' ? rootsOf(db, trx, form, around, 'id', ids) : ids;
}
