import { referencesOf, type Reference } from '$lib/core/plan/references';
import type { Plan } from '$lib/core/plan/schema';
import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { inTransaction } from '../database/transaction';
import { listForms, loadDraft, loadEdition, planUses, type CatalogForm } from './forms';
import { loadTables } from './tables';

/** Something of the house that plans name. Columns and views belong to their table, parameters to their query. */
export interface Named {
  kind: 'table' | 'list' | 'query' | 'system' | 'form';
  name: string;
}

/** A form whose draft or newest edition names something, with those of both that do. */
export interface NamingForm {
  form: CatalogForm;
  plans: { which: 'draft' | 'edition'; plan: Plan }[];
}

/**
 * The forms that name something, by title: found by the index of uses, which is filled for plans that it does not
 * know yet. Only the plans that name it are read.
 */
export async function formsNaming(
  db: Database,
  { kind, name }: Named,
  known?: readonly CatalogForm[],
  house?: House,
): Promise<NamingForm[]> {
  const forms = known ?? (await listForms(db));
  await fillUses(db, forms, house ?? (await loadTables(db)));
  const rows = await planUses(db, db.knex).where({ kind, name }).select('form_id', 'edition');
  const naming = new Set(rows.map((row) => placeOf(Number(row.form_id), Number(row.edition))));
  const found: NamingForm[] = [];
  for (const form of forms) {
    const { id, edition } = form;
    const plans: NamingForm['plans'] = [];
    if (naming.has(placeOf(id, 0)))
      plans.push({ which: 'draft', plan: (await loadDraft(db, form)).plan });
    if (edition > 0 && naming.has(placeOf(id, edition))) {
      plans.push({ which: 'edition', plan: (await loadEdition(db, form)).plan });
    }
    if (plans.length > 0) found.push({ form, plans });
  }
  return found;
}

/** Notes what drafts and newest editions name that the index does not know yet. */
async function fillUses(db: Database, forms: readonly CatalogForm[], tables: House): Promise<void> {
  const seen = noted.get(tables) ?? new Set<string>();
  noted.set(tables, seen);
  const names = forms.map(({ id, edition, revision }) => `${id} ${edition} ${revision}`);
  if (names.every((name) => seen.has(name))) return;
  await fillUnknown(db, tables, forms);
  for (const name of names) seen.add(name);
}

/** Plans that are in the index, as long as the catalog stays as it is: they need not be looked for again. */
const noted = new WeakMap<House, Set<string>>();

async function fillUnknown(
  db: Database,
  tables: House,
  forms: readonly CatalogForm[],
): Promise<void> {
  const rows = await planUses(db, db.knex).distinct('form_id', 'edition');
  const known = new Set(rows.map((row) => placeOf(Number(row.form_id), Number(row.edition))));
  const places = forms.flatMap((form) => [
    { form, edition: 0 },
    ...(form.edition > 0 ? [{ form, edition: form.edition }] : []),
  ]);
  const unknown = places.filter(({ form, edition }) => !known.has(placeOf(form.id, edition)));
  for (const { form, edition } of unknown) {
    const { plan } = await (edition === 0 ? loadDraft(db, form) : loadEdition(db, form, edition));
    await noteUses(db, form, edition, namedIn(plan, tables));
  }
}

/** Writes what a plan names, unless it has become another meanwhile: then it is looked at the next time. */
async function noteUses(
  db: Database,
  form: CatalogForm,
  edition: number,
  named: readonly Named[],
): Promise<void> {
  await inTransaction(db, async (trx) => {
    const row = await trx('form')
      .withSchema(db.catalog)
      .where({ id: form.id })
      .forUpdate()
      .first('draft_revision');
    if (Number(row?.draft_revision) !== form.revision) return;
    const rows = named.map(({ kind, name }) => ({ form_id: form.id, edition, kind, name }));
    await planUses(db, trx).insert(rows).onConflict().ignore();
  });
}

/** What a plan names, each thing once. */
export function namedIn(plan: Plan, tables: House): Named[] {
  const found = new Map<string, Named>();
  for (const reference of referencesOf(plan, tables)) {
    const named = namedBy(reference);
    if (named && named.name !== '') found.set(`${named.kind} ${named.name}`, named);
  }
  return [...found.values()];
}

function namedBy(reference: Reference): Named | null {
  switch (reference.kind) {
    case 'table':
    case 'list':
    case 'query':
    case 'system':
    case 'form':
      return { kind: reference.kind, name: reference.name };
    case 'column':
    case 'view':
      return { kind: 'table', name: reference.table };
    case 'parameter':
    case 'queryColumn':
      return { kind: 'query', name: reference.query };
    case 'field':
    case 'grid':
      return null;
  }
}

const placeOf = (form: number, edition: number) => `${form} ${edition}`;
