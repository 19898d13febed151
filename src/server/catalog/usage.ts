import { fieldsOf, tableChoices } from '$lib/core/plan/schema';
import { fail } from '$lib/core/problems';
import type { Column, Table, Tables } from '$lib/core/table/definition';
import { linkTable } from '$lib/core/table/links';
import { isLink, type ValueType } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { dropTable } from '../database/ddl';
import { changeStructure } from '../database/structure';
import { listForms, loadDraft, loadEdition, type CatalogForm } from './forms';
import { loadTables, tableFrom } from './tables';

/** Where a table is used: the forms that write it, and those whose choices read it (drafts and newest editions). */
export async function formsOfTable(
  db: Database,
  table: string,
): Promise<{ writing: CatalogForm[]; reading: CatalogForm[] }> {
  const heads = await listForms(db);
  const reading: CatalogForm[] = [];
  for (const form of heads) {
    const plans = [(await loadDraft(db, form.key)).plan];
    if (form.edition > 0) plans.push((await loadEdition(db, form.key)).plan);
    const fields = plans.flatMap(fieldsOf);
    if (fields.some((field) => tableChoices(field)?.table === table)) reading.push(form);
  }
  return { writing: heads.filter((form) => form.table === table), reading };
}

/** The columns of all tables that refer to a table. */
export function referencesTo(tables: Tables, key: string): { table: Table; column: Column }[] {
  return [...tables.values()].flatMap((table) =>
    table.columns
      .filter(({ type }) => isLink(type) && type.table === key && !isMirror(type))
      .map((column) => ({ table, column })),
  );
}

/** Removes the links of a column; they refer to the table and would hold it back. */
async function dropLinks(db: Database, key: string, column: Column, by: string): Promise<void> {
  const links = column.type.kind === 'references' && !isMirror(column.type);
  const name = links ? linkTable(key, column)?.name : undefined;
  if (name === undefined) return;
  const table = tableFrom(await loadTables(db), key);
  const after = { ...table, columns: table.columns.filter((c) => c.key !== column.key) };
  await changeStructure(db, { table: key, statement: dropTable(db, name), after, by });
}

/** The other side of links does not hold a record back: they belong to the first side. */
function isMirror(type: ValueType): boolean {
  return type.kind === 'references' && type.mirrors !== null;
}

/** Removes a table with its records; refused while another table or a form uses it. */
export async function removeTable(db: Database, key: string, by: string): Promise<void> {
  const tables = await loadTables(db);
  const table = tableFrom(tables, key);
  const usedByTables = referencesTo(tables, key)
    .filter((use) => use.table.key !== key)
    .map((use) => `${use.table.title} (${use.column.label})`);
  const forms = await formsOfTable(db, key);
  const usedByForms = [...forms.writing, ...forms.reading].map((form) => `form ${form.title}`);
  const users = [...new Set([...usedByTables, ...usedByForms])].join(', ');
  if (users !== '') fail('table_in_use', { table: table.title, users }, 409);
  for (const column of table.columns) await dropLinks(db, key, column, by);
  await changeStructure(db, { table: key, statement: dropTable(db, key), after: null, by });
}
