import { houseOf } from '$lib/core/table/sources';
import type { Knex } from 'knex';
import { z } from 'zod';
import { renameInRole } from '$lib/core/table/rename-rights';
import { renameColumn, renameTable } from '$lib/core/plan/rename';
import { querySchema, type Query } from '$lib/core/outside/query';
import { planSchema, type Plan } from '$lib/core/plan/schema';
import { tableSchema, type Table, type House } from '$lib/core/table/definition';
import { wireForm } from '$lib/core/wiring/form';
import { carryIntoRehearsals } from '../catalog/rehearsals';
import { keySchema } from '$lib/core/values/key';
import { renameColumnIn, renameTableIn } from '$lib/core/table/rename';
import { bumpAccess, readRoles } from '../access/roles';
import type { Database } from './connection';
import { parseJson } from './json';

/** That a table, or one of its columns, gets another key. */
export const renamingSchema = z.strictObject({
  table: keySchema,
  /** The column; `null` where the table itself is renamed. */
  column: keySchema.nullable(),
  to: keySchema,
});
export type Renaming = z.infer<typeof renamingSchema>;

/**
 * Carries another key through everything that the catalog holds: definitions, drafts and editions of
 * forms, counters of codes, the journal. Runs in the transaction that marks the change as applied.
 */
export async function carryRenaming(
  db: Database,
  trx: Knex.Transaction,
  renaming: Renaming,
): Promise<void> {
  const tables = await tablesAsTheyAre(db, trx);
  const { table, column, to } = renaming;
  const changed =
    column === null ? renameTableIn(tables, table, to) : renameColumnIn(tables, table, column, to);
  for (const definition of changed) {
    const was = column === null && definition.key === to ? table : definition.key;
    await trx('table_def')
      .withSchema(db.catalog)
      .where({ table_key: was })
      .update({
        table_key: definition.key,
        definition: JSON.stringify(definition),
        revision: trx.raw('revision + 1'),
      });
  }
  const others = [...tables.values()].filter(
    ({ key }) => key !== table && !changed.some((one) => one.key === key),
  );
  const after = houseOf(
    [...others, ...changed].map((one): [string, Table] => [one.key, one]),
    {
      queries: tables.queries,
    },
  );
  await renameInForms(db, trx, {
    plan: (plan) =>
      column === null
        ? renameTable(plan, tables, table, to)
        : renameColumn(plan, tables, table, column, to),
    rehearsals: (form, was, is) =>
      carryIntoRehearsals(db, trx, form, {
        ...{ was: wireForm(was, tables), is: wireForm(is, after) },
        table: (key) => (column === null && key === table ? to : key),
        column: (of, key) => (of === table && key === column ? to : key),
      }),
  });
  await renameInRights(db, trx, tables, renaming);
  const uses = trx('file_use').withSchema(db.catalog).where({ table_key: table });
  if (column === null) await uses.update({ table_key: to });
  else await uses.where({ column_key: column }).update({ column_key: to });
  const befores = trx('column_before').withSchema(db.catalog).where({ table_key: table });
  if (column === null) await befores.update({ table_key: to });
  else await befores.where({ column_key: column }).delete();
  const counters = trx('code_counter').withSchema(db.catalog);
  if (column !== null) {
    await counters.where({ table_key: table, column_key: column }).update({ column_key: to });
    return;
  }
  await counters.where({ table_key: table }).update({ table_key: to });
  const sheets = () => trx('sheet').withSchema(db.catalog);
  await sheets().where({ answers_key: table }).update({ answers_key: to });
  for (const name of ['form', 'journal', 'sheet', 'table_size']) {
    await trx(name).withSchema(db.catalog).where({ table_key: table }).update({ table_key: to });
  }
}

/** What people may see follows: a column that was hidden from them must not come to light under another key. */
async function renameInRights(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  renaming: Renaming,
): Promise<void> {
  for (const [key, role] of await readRoles(db, trx)) {
    const after = renameInRole(role, tables, renaming);
    if (JSON.stringify(after) === JSON.stringify(role)) continue;
    await trx('role')
      .withSchema(db.catalog)
      .insert({ role_key: key, definition: JSON.stringify(after) })
      .onConflict('role_key')
      .merge();
  }
  if (renaming.column === null) {
    const accounts = trx('account').withSchema(db.catalog);
    await accounts.where({ link_table: renaming.table }).update({ link_table: renaming.to });
  }
  await bumpAccess(db, trx);
}

async function tablesAsTheyAre(db: Database, trx: Knex.Transaction): Promise<House> {
  const rows = await trx('table_def').withSchema(db.catalog).forUpdate().select('definition');
  const asked = await trx('query').withSchema(db.catalog).select('definition');
  const queries = asked.map((row): [string, Query] => {
    const query = querySchema.parse(parseJson(row.definition));
    return [query.key, query];
  });
  const tables = rows.map((row): [string, Table] => {
    const table = tableSchema.parse(parseJson(row.definition));
    return [table.key, table];
  });
  // Formulas may read what a query gives: without it they could not be read, and would keep the old key.
  return houseOf(tables, { queries: new Map(queries) });
}

/** A form whose plans change gets a new revision, so that nobody goes on with an older one. */
async function renameInForms(
  db: Database,
  trx: Knex.Transaction,
  carry: {
    plan: (plan: Plan) => Plan;
    /** Has the rehearsals of a form follow its draft. */
    rehearsals: (form: number, was: Plan, is: Plan) => Promise<void>;
  },
): Promise<void> {
  const changedPlan = (stored: unknown): { was: Plan; is: Plan } | null => {
    const parsed = planSchema.safeParse(parseJson(stored));
    // What is no plan any more is shown as such where it is opened; it must not keep others from going on.
    if (!parsed.success) return null;
    const is = carry.plan(parsed.data);
    return JSON.stringify(is) === JSON.stringify(parsed.data) ? null : { was: parsed.data, is };
  };
  const forms = await trx('form')
    .withSchema(db.catalog)
    .forUpdate()
    .select('id', 'draft', 'draft_revision', 'published_revision');
  for (const { id, draft, draft_revision, published_revision } of forms) {
    const editions = await trx('edition')
      .withSchema(db.catalog)
      .where({ form_id: id })
      .select('number', 'plan');
    let touched = false;
    for (const { number, plan } of editions) {
      const after = changedPlan(plan);
      if (after === null) continue;
      touched = true;
      await trx('edition')
        .withSchema(db.catalog)
        .where({ form_id: id, number })
        .update({ plan: JSON.stringify(after.is) });
    }
    const after = changedPlan(draft);
    if (after === null && !touched) continue;
    if (after) await carry.rehearsals(Number(id), after.was, after.is);
    // What these plans name is looked at again when it is asked for.
    await trx('plan_use').withSchema(db.catalog).where({ form_id: id }).delete();
    const same = published_revision === draft_revision;
    await trx('form')
      .withSchema(db.catalog)
      .where({ id })
      .update({
        draft: JSON.stringify(after?.is ?? parseJson(draft)),
        draft_revision: draft_revision + 1,
        ...(same ? { published_revision: draft_revision + 1 } : {}),
      });
  }
}
