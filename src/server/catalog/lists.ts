import { LRUCache } from 'lru-cache';
import { momentOf } from '../database/moments';
import { num } from '$lib/core/words/say';
import { formsNaming } from './plan-uses';
import { fail, ProblemError } from '$lib/core/problems';
import { listProblems, optionListSchema, type OptionList } from '$lib/core/table/option-list';
import type { House } from '$lib/core/table/definition';
import { typedValuesKey } from '$lib/core/plan/checkup';
import { type Plan } from '$lib/core/plan/schema';
import { scopesOf } from '$lib/core/plan/scopes';
import type { Database, Runner } from '../database/connection';
import { seenTable } from '../records/sight';
import { duplicateIndex } from '../database/errors';
import { bumpCatalog } from '../database/structure';
import { parseJson } from '../database/json';
import { loadDraft, type CatalogForm } from './forms';
import { loadTables } from './tables';

/** A list with what the index of lists tells of it. */
export interface ListHead extends OptionList {
  revision: number;
  by: string;
  at: string;
}

interface ListRow {
  definition: unknown;
  revision: number;
  changed_by: string;
  changed_at: string;
}

/** All lists, by category and title. */
export async function listLists(db: Database): Promise<ListHead[]> {
  const rows = (await lists(db).select()) as ListRow[];
  return rows
    .map(head)
    .sort((a, b) => a.category.localeCompare(b.category) || a.title.localeCompare(b.title));
}

/** One list; fails with 404. */
export async function listFrom(db: Database, key: string, runner: Runner = db.knex) {
  const row = (await lists(db, runner).where({ list_key: key }).first()) as ListRow | undefined;
  return row ? head(row) : fail('unknown_list', { list: key }, 404);
}

/** Makes a list. Fails with everything that is wrong with it. */
export async function makeList(db: Database, list: OptionList, by: string): Promise<ListHead> {
  await refuse(db, list);
  try {
    const definition = JSON.stringify(list);
    await lists(db).insert({ list_key: list.key, definition, changed_by: by });
  } catch (error) {
    if (duplicateIndex(error) !== null) fail('list_exists', { list: list.key }, 409, 'key');
    throw error;
  }
  await bumpCatalog(db, db.knex);
  return listFrom(db, list.key);
}

/**
 * Changes a list as it was seen at a revision. A value that records still have cannot be taken away: it
 * can be retired.
 */
export async function changeList(
  db: Database,
  list: OptionList,
  revision: number,
  by: string,
): Promise<ListHead> {
  await refuse(db, list);
  const before = await listFrom(db, list.key);
  const kept = new Set(list.values.map(({ value }) => value));
  const uses = await listUses(db, list.key);
  for (const { value, label } of before.values) {
    if (kept.has(value)) continue;
    const users = uses
      .filter(({ counts }) => (counts.get(value) ?? 0) > 0)
      .map(({ where, counts }) => `${counted(counts.get(value) ?? 0)} of ${where}`);
    const inner = (await listLists(db)).filter(
      (other) => other.of === list.key && other.values.some(({ of }) => of === value),
    );
    users.push(...inner.map(({ title }) => `the list ${title}`));
    if (users.length === 0) continue;
    const details = { given: label, label: list.title, users: users.join(', ') };
    fail('option_in_use', details, 409, 'values');
  }
  const changed = await lists(db)
    .where({ list_key: list.key, revision })
    .update({
      definition: JSON.stringify(list),
      revision: revision + 1,
      changed_by: by,
      changed_at: db.knex.fn.now(),
    });
  if (changed === 0) fail('list_changed', { list: before.title, by: before.by }, 409);
  await bumpCatalog(db, db.knex);
  return listFrom(db, list.key);
}

/** Removes a list that nothing uses. */
export async function removeList(db: Database, key: string): Promise<void> {
  const { title } = await listFrom(db, key);
  const users = (await listUses(db, key)).map(({ where }) => where);
  const inner = (await listLists(db)).filter(({ of }) => of === key);
  users.push(...inner.map((other) => `the list ${other.title}`));
  if (users.length > 0) fail('list_in_use', { list: title, users: users.join(', ') }, 409);
  await lists(db).where({ list_key: key }).delete();
  await bumpCatalog(db, db.knex);
}

/** Where forms have values typed into them, by those values, but for one form. */
export async function typedElsewhere(
  db: Database,
  form: string,
  forms: readonly CatalogForm[],
): Promise<[string, string][]> {
  const found: [string, string][] = [];
  for (const head of forms) {
    if (head.key === form) continue;
    for (const { key, label } of await readTyped(db, head)) {
      found.push([key, `${label} of the form ${head.title}`]);
    }
  }
  return found;
}

/** The typed lists of drafts that were read, by the draft at its revision. */
const typedIn = new LRUCache<string, { key: string; label: string }[]>({ max: 2000 });

async function readTyped(db: Database, head: CatalogForm) {
  const name = `${db.name} ${head.id} ${head.revision}`;
  const known = typedIn.get(name);
  if (known) return known;
  const { plan } = await loadDraft(db, head);
  const fields = scopesOf(plan).flatMap((scope) => scope.fields);
  const typed = fields.flatMap(({ label, choices }) =>
    choices?.kind === 'values' ? [{ key: typedValuesKey(choices.values), label }] : [],
  );
  typedIn.set(name, typed);
  return typed;
}

/** Where a list is used, and how often each of its values stands there. */
export interface ListUse {
  /** In words: `Condition report (Condition now)`. */
  where: string;
  href: string;
  records: number;
  counts: ReadonlyMap<string, number>;
}

/** Where a list is used (J3): by columns of tables, and by fields of forms. */
export async function listUses(db: Database, key: string, house?: House): Promise<ListUse[]> {
  const tables = house ?? (await loadTables(db));
  const found: ListUse[] = [];
  const counted = new Set<string>();
  for (const table of tables.values()) {
    for (const { key: column, label, type } of table.columns) {
      if (type.kind !== 'option' || type.list !== key) continue;
      counted.add(`${table.key}.${column}`);
      const counts = await countValues(db, tables, table.key, column);
      const where = `${table.title} (${label})`;
      found.push({ where, href: `/tables/${table.key}/columns`, ...counts });
    }
  }
  for (const { form, plans } of await formsNaming(db, { kind: 'list', name: key })) {
    const seen = new Set<string>();
    const fields = plans.flatMap(({ plan }) => usingFields(plan, key));
    for (const { label, table, column } of fields) {
      if (seen.has(label)) continue;
      seen.add(label);
      const place = column === null ? null : `${table}.${column}`;
      const reads = place !== null && !counted.has(place) && isColumn(tables, table, column);
      if (place !== null) counted.add(place);
      const counts = reads ? await countValues(db, tables, table, column ?? '') : none;
      found.push({
        where: `${form.title} (${label})`,
        href: `/forms/${form.key}/design`,
        ...counts,
      });
    }
  }
  return found;
}

const none = { records: 0, counts: new Map<string, number>() };

function usingFields(plan: Plan, list: string) {
  return scopesOf(plan).flatMap(({ fields, table }) =>
    fields.flatMap(({ label, choices, savesTo }) =>
      choices?.kind === 'options' && choices.list === list
        ? [{ label, table, column: savesTo }]
        : [],
    ),
  );
}

function isColumn(tables: House, table: string, column: string | null): boolean {
  return tables.get(table)?.columns.some(({ key }) => key === column) ?? false;
}

async function countValues(
  db: Database,
  tables: House,
  table: string,
  column: string,
): Promise<Pick<ListUse, 'records' | 'counts'>> {
  const sql = `select r.?? as value, count(*) as n from ${seenTable(db, tables, table, 'r')} where r.?? is not null group by r.??`;
  const [rows] = await db.knex.raw(sql, [column, column, column]);
  const counts = new Map(
    (rows as { value: string; n: number }[]).map(({ value, n }) => [String(value), Number(n)]),
  );
  return { counts, records: [...counts.values()].reduce((sum, n) => sum + n, 0) };
}

function counted(n: number): string {
  return n === 1 ? '1 record' : `${num(n)} records`;
}

async function refuse(db: Database, list: OptionList): Promise<void> {
  const known = new Map((await listLists(db)).map((other) => [other.key, other]));
  const problems = listProblems(list, known);
  if (problems.length > 0) throw new ProblemError(problems);
}

function head({ definition, revision, changed_by, changed_at }: ListRow): ListHead {
  const list = optionListSchema.parse(parseJson(definition));
  const at = momentOf(changed_at);
  return { ...list, revision: Number(revision), by: changed_by, at };
}

function lists(db: Database, runner: Runner = db.knex) {
  return runner('option_list').withSchema(db.catalog);
}
