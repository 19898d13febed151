import { LRUCache } from 'lru-cache';
import { momentOf } from '../database/moments';
import type { EditionHead } from '$lib/core/contract/answers';
import { problemsIn } from '$lib/core/plan/checkup';
import { withCascades } from '$lib/core/plan/cascade';
import { draftPlan } from '$lib/core/plan/draft';
import { wantedIndexes } from '$lib/core/plan/indexes';
import { planSchema, type Plan } from '$lib/core/plan/schema';
import { fieldsOf } from '$lib/core/plan/scopes';
import { tableChoices } from '$lib/core/plan/choices';
import { fail, ProblemError } from '$lib/core/problems';
import { renamedFields } from '$lib/core/plan/compare';
import { renameField } from '$lib/core/plan/rename';
import { sameNames, type Renamed } from '$lib/core/rehearsal/renamed';
import { wireForm } from '$lib/core/wiring/form';
import { keyFrom, type Table, type House } from '$lib/core/table/definition';
import { examine } from '$lib/core/wiring/examine';
import type { Database, Runner } from '../database/connection';
import { inTransaction } from '../database/transaction';
import { bumpCatalog } from '../database/structure';
import { parseJson } from '../database/json';
import { countTables } from '../records/count';
import { findDependencies, type Dependency } from '../records/dependencies';
import { carryIntoRehearsals, rehearsalNames } from './rehearsals';
import { ensureIndexes, loadTables, tableFrom } from './tables';
import { wordsBehind } from '../keeping/words';

/** A form as the catalog knows it. */
export interface CatalogForm {
  id: number;
  key: string;
  title: string;
  table: string;
  /** The newest edition; 0 before the first. */
  edition: number;
  /** The draft's revision, raised at each change. */
  revision: number;
  draftBy: string;
  draftAt: string;
  /** Whether the draft differs from the newest edition. */
  changed: boolean;
}

/** A form's plan as it is filled: an edition, or the draft at a revision. */
export interface HeldPlan {
  form: CatalogForm;
  plan: Plan;
  edition: number;
}

interface FormRow {
  id: number;
  form_key: string;
  table_key: string;
  title: string;
  draft?: unknown;
  draft_revision: number;
  draft_by: string;
  draft_at: string;
  newest_edition: number;
  published_revision: number | null;
}

const headColumns = [
  'id',
  'form_key',
  'table_key',
  'title',
  'draft_revision',
  'draft_by',
  'draft_at',
  'newest_edition',
  'published_revision',
];

/** Plans already parsed. Neither draft nor editions change within a revision. */
const planCache = new LRUCache<string, Plan>({ max: 200 });

/** All forms by title. */
export async function listForms(db: Database): Promise<CatalogForm[]> {
  const rows = await forms(db).orderBy('title').select(headColumns);
  return (rows as FormRow[]).map(head);
}

/** The forms that can be filled, by the table that they save to. */
export async function publishedForms(
  db: Database,
): Promise<Pick<CatalogForm, 'key' | 'title' | 'table'>[]> {
  const all = await listForms(db);
  return all
    .filter(({ edition }) => edition > 0)
    .map(({ key, title, table }) => ({ key, title, table }));
}

/** One form; fails with 404. */
export async function formHead(db: Database, key: string): Promise<CatalogForm> {
  const row = (await forms(db).where({ form_key: key }).first(headColumns)) as FormRow | undefined;
  return row ? head(row) : fail('unknown_form', { form: key }, 404);
}

/** Makes a form whose draft is the given plan, or the one drafted from a table. */
export async function makeForm(
  db: Database,
  wish: { table: string; title?: string; key?: string; plan?: Plan },
  by: string,
): Promise<CatalogForm> {
  const tables = await loadTables(db);
  const table = tableFrom(tables, wish.table);
  const plan = wish.plan ?? (await firstDraft(db, tables, table, wish.title ?? table.title));
  const taken = (await listForms(db)).map((form) => form.key);
  if (wish.key && taken.includes(wish.key)) fail('form_exists', { form: wish.key }, 409, 'key');
  const key = wish.key ?? keyFrom(plan.title, taken);
  await forms(db).insert({
    form_key: key,
    table_key: table.key,
    title: plan.title,
    draft: JSON.stringify(plan),
    draft_revision: 1,
    draft_by: by,
  });
  return formHead(db, key);
}

/** Drafts a form for each of some tables. */
export async function draftForms(
  db: Database,
  tables: readonly Pick<Table, 'key' | 'title'>[],
  by: string,
): Promise<{ key: string; title: string }[]> {
  const made: { key: string; title: string }[] = [];
  for (const { key: table, title } of tables) {
    const form = await makeForm(db, { table, title }, by);
    made.push({ key: form.key, title: form.title });
  }
  return made;
}

/** A first form: a field per column, lookups narrowed as the data have it. */
async function firstDraft(db: Database, tables: House, table: Table, title: string): Promise<Plan> {
  const plan = draftPlan(table, tables, title);
  const dependencies = new Map<string, Dependency[]>();
  for (const field of fieldsOf(plan)) {
    const source = tables.get(tableChoices(field)?.table ?? '');
    if (source) dependencies.set(source.key, await findDependencies(db, tables, source));
  }
  return withCascades(plan, tables, { records: await countTables(db, tables), dependencies });
}

/** The draft with its revision, of a form by its key, or as it was read a moment ago. */
export async function loadDraft(db: Database, of: string | CatalogForm): Promise<HeldPlan> {
  const form = typeof of === 'string' ? await formHead(db, of) : of;
  const plan = await cachedPlan(`${db.name} ${form.id} draft ${form.revision}`, async () => {
    const row = await forms(db).where({ id: form.id }).first('draft');
    return row?.draft;
  });
  return { form, plan, edition: 0 };
}

/** Keeps a changed draft. Fails with 409 where the draft is not at `revision` any more. */
export async function keepDraft(
  db: Database,
  key: string,
  revision: number,
  plan: Plan,
  by: string,
): Promise<CatalogForm> {
  const form = await formHead(db, key);
  if (plan.table !== form.table) fail('plan_invalid', { reason: 'it is for another table' });
  // A draft that is no plan any more can still be replaced.
  const before = await loadDraft(db, form).catch(() => null);
  const renamed = before && (await renamedIn(db, before.plan, plan));
  const kept = await inTransaction(db, async (trx) => {
    const changed = await forms(db, trx)
      .where({ form_key: key, draft_revision: revision })
      .update({
        draft: JSON.stringify(plan),
        title: plan.title,
        draft_revision: revision + 1,
        draft_by: by,
        draft_at: db.knex.fn.now(),
      });
    // What it names is looked at again when it is asked for.
    if (changed > 0) await planUses(db, trx).where({ form_id: form.id, edition: 0 }).delete();
    if (changed > 0 && renamed) await carryIntoRehearsals(db, trx, form.id, renamed);
    return changed;
  });
  if (kept === 0) fail('draft_changed', {}, 409);
  return formHead(db, key);
}

/** The form before and after its fields got other names; `null` where none did. */
async function renamedIn(db: Database, before: Plan, after: Plan): Promise<Renamed | null> {
  const renamed = renamedFields(before, after);
  if (renamed.length === 0) return null;
  const { whole } = await loadTables(db);
  const called = renamed.reduce(
    (plan, { scope, from, to }) => renameField(plan, whole, from, to, scope),
    before,
  );
  return { ...sameNames, was: wireForm(before, whole), is: wireForm(called, whole) };
}

/** An edition's plan; the newest where none is named. */
export async function loadEdition(
  db: Database,
  of: string | CatalogForm,
  edition?: number,
): Promise<HeldPlan> {
  const form = typeof of === 'string' ? await formHead(db, of) : of;
  const number = edition ?? form.edition;
  if (number === 0) fail('never_published', { form: form.title }, 409);
  const plan = await cachedPlan(
    `${db.name} ${form.id} edition ${number} at ${form.revision}`,
    async () => {
      const row = await db
        .knex('edition')
        .withSchema(db.catalog)
        .where({ form_id: form.id, number })
        .first('plan');
      return row ? row.plan : fail('unknown_edition', { form: form.title, edition: number }, 404);
    },
  );
  return { form, plan, edition: number };
}

/** Editions read since the catalog last changed: `tables` is made anew with each change of it. */
const editionsRead = new WeakMap<House, Map<string, HeldPlan>>();

/**
 * An edition by its number, without asking the database for one that was read before. Its head may
 * lag behind the newest draft; its plan never changes.
 */
export async function knownEdition(
  db: Database,
  tables: House,
  key: string,
  edition: number,
): Promise<HeldPlan> {
  const known = editionsRead.get(tables) ?? new Map<string, HeldPlan>();
  editionsRead.set(tables, known);
  const name = `${key} ${edition}`;
  const held = known.get(name) ?? (await loadEdition(db, key, edition));
  known.set(name, held);
  return held;
}

/** The editions of a form, newest first. */
export async function listEditions(db: Database, key: string): Promise<EditionHead[]> {
  const form = await formHead(db, key);
  const rows = await db
    .knex('edition')
    .withSchema(db.catalog)
    .where({ form_id: form.id })
    .orderBy('number', 'desc')
    .select('number', 'published_by', 'published_at', 'published_over');
  return rows.map((row) => ({
    number: Number(row.number),
    by: String(row.published_by),
    at: momentOf(row.published_at),
    over: row.published_over === null ? null : String(row.published_over),
  }));
}

/** The plan that a request means: an edition, or the designer's draft at the revision that was seen. */
export async function meantPlan(
  db: Database,
  tables: House,
  key: string,
  { edition, draft }: { edition?: number | undefined; draft?: number | undefined },
): Promise<HeldPlan> {
  if (edition !== undefined) return knownEdition(db, tables, key, edition);
  const held = await loadDraft(db, key);
  if (draft !== undefined && held.form.revision !== draft) fail('draft_changed', {}, 409);
  return held;
}

/** Freezes the draft as the next edition and makes the indexes that its choices need. */
export async function publishForm(
  db: Database,
  key: string,
  revision: number,
  by: string,
  /** Why it is published over rehearsals that do not hold. */
  over: string | null = null,
): Promise<CatalogForm> {
  const { form, plan } = await loadDraft(db, key);
  if (form.revision !== revision) fail('draft_changed', {}, 409);
  const tables = await loadTables(db);
  const problems = problemsIn(examine(plan, tables));
  if (problems.length > 0) throw new ProblemError(problems);
  const { behind } = await ensureIndexes(db, wantedIndexes(plan, tables), by);
  if (behind) wordsBehind(db);
  await inTransaction(db, async (trx) => {
    const row = await forms(db, trx).where({ id: form.id }).forUpdate().first('newest_edition');
    const number = Number(row?.newest_edition) + 1;
    const rehearsals = JSON.stringify(await rehearsalNames(db, trx, form.id));
    await trx('edition')
      .withSchema(db.catalog)
      .insert({
        ...{ form_id: form.id, number, plan: JSON.stringify(plan), published_by: by },
        ...{ rehearsals, published_over: over },
      });
    await forms(db, trx)
      .where({ id: form.id })
      .update({ newest_edition: number, published_revision: revision });
  });
  return formHead(db, key);
}

/** Removes a form with its editions; records that it wrote stay. */
export async function removeForm(db: Database, key: string): Promise<void> {
  const form = await formHead(db, key);
  await inTransaction(db, async (trx) => {
    await forms(db, trx).where({ id: form.id }).delete();
    await planUses(db, trx).where({ form_id: form.id }).delete();
    for (const about of ['form_use', 'slow_read', 'drift_run', 'drift_left'])
      await trx(about).withSchema(db.catalog).where({ form_key: key }).delete();
  });
  // Other processes know its editions until the catalog changes.
  await bumpCatalog(db, db.knex);
}

/** The index of what plans name (`plan-uses.ts`); what is rewritten is taken out of it here. */
export function planUses(db: Database, trx: Runner) {
  return trx('plan_use').withSchema(db.catalog);
}

function forms(db: Database, runner: Runner = db.knex) {
  return runner('form').withSchema(db.catalog);
}

async function cachedPlan(name: string, load: () => Promise<unknown>): Promise<Plan> {
  const known = planCache.get(name);
  if (known) return known;
  const plan = planSchema.parse(parseJson(await load()));
  planCache.set(name, plan);
  return plan;
}

function head(row: FormRow): CatalogForm {
  return {
    id: Number(row.id),
    key: row.form_key,
    title: row.title,
    table: row.table_key,
    edition: row.newest_edition,
    revision: row.draft_revision,
    draftBy: row.draft_by,
    draftAt: momentOf(row.draft_at),
    changed: row.published_revision !== row.draft_revision,
  };
}
