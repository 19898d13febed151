import { num } from '$lib/core/words/say';
import { fail } from '$lib/core/problems';
import { columnOf, type Column, type Table } from '$lib/core/table/definition';
import { keySchema } from '$lib/core/values/key';
import { linkTable } from '$lib/core/table/links';
import { withoutColumn } from '$lib/core/table/rename';
import type { FilesType } from '$lib/core/values/files';
import type { Option } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import {
  dropColumn,
  dropWholeTable,
  renameColumnSql,
  renameForeignKeys,
  renameTableSql,
  tableSql,
} from '../database/ddl';
import { changeStructure, structuring } from '../database/structure';
import { wordsBehind } from '../keeping/words';
import { freshWords, loadTables, ownColumn, tableFrom } from './tables';
import { isOtherSide } from '$lib/core/table/links';
import { impactOf, referencesTo, useWords } from './usage';

/** Gives a column another key, in the database and in everything that names it. */
export async function renameTableColumn(
  db: Database,
  key: string,
  from: string,
  to: string,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const table = tableFrom(await loadTables(db), key);
    const column = ownColumn(table, from);
    if (to === from) return table;
    if (columnOf(table, to)) fail('column_twice', { column: to }, 422, 'key');
    const renaming = { table: key, column: from, to: keySchema.parse(to) };
    const statement = isOtherSide(column.type) ? null : renameColumnSql(db, table, column, to);
    await changeStructure(db, { table: key, statement, after: table, renaming, by });
    return tableFrom(await loadTables(db), key);
  });
}

/** Gives a table another key, in the database and in everything that names it. */
export async function renameWholeTable(
  db: Database,
  from: string,
  to: string,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const tables = await loadTables(db);
    const table = tableFrom(tables, from);
    if (to === from) return table;
    if (tables.has(to)) fail('table_exists', { table: to }, 409, 'key');
    const linked = [...tables.values()].some((other) =>
      other.columns.some(
        (c) => linkTable(other.key, c) && (other.key === from || refersTo(c, from)),
      ),
    );
    if (linked) fail('links_hold_name', { table: table.title }, 409, 'key');
    const renaming = { table: from, column: null, to: keySchema.parse(to) };
    const statement = renameTableSql(db, from, to);
    await changeStructure(db, { table: from, statement, after: table, renaming, by });
    const after = tableFrom(await loadTables(db), to);
    const keys = renameForeignKeys(db, after, from);
    if (keys) await changeStructure(db, { table: to, statement: keys, after, by });
    return after;
  });
}

/** Removes a column with its values; refused while a form, or the other side of its links, uses it. */
export async function removeColumn(
  db: Database,
  key: string,
  name: string,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const tables = await loadTables(db);
    const table = tableFrom(tables, key);
    const column = ownColumn(table, name);
    if (table.columns.length === 1) {
      fail('last_column', { label: column.label, table: table.title }, 409);
    }
    const mirrored = referencesTo(tables, key, true).filter(
      ({ column: { type } }) => type.kind === 'references' && type.mirrors === name,
    );
    const users = [
      ...(await impactOf(db, { table: key, column: name })).map(useWords),
      ...mirrored.map((use) => `${use.table.title} (${use.column.label})`),
    ];
    if (users.length > 0) {
      fail('column_in_use', { label: column.label, users: users.join('; ') }, 409);
    }
    const after = withFreshWords(withoutColumn(table, name));
    if (after.display.length === 0) after.display = [after.columns[0]?.key ?? ''];
    await changeStructure(db, { table: key, statement: dropColumn(db, table, column), after, by });
    if (after.indexes.some(({ beside }) => beside?.whole === false)) wordsBehind(db);
    return after;
  });
}

/** Words that are to be taken in anew, without those of a column that is gone, get another place. */
function withFreshWords(table: Table): Table {
  const indexes = table.indexes.map((index) =>
    index.beside?.whole === false ? { ...index, beside: freshWords() } : index,
  );
  return { ...table, indexes };
}

/** Changes the options of a column. One that records or forms still use cannot be taken away. */
export async function changeOptions(
  db: Database,
  key: string,
  name: string,
  options: readonly Option[],
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const table = tableFrom(await loadTables(db), key);
    const column = ownColumn(table, name);
    const { type } = column;
    if (type.kind !== 'option') return fail('unknown_column', { table: table.title, column: name });
    const kept = new Set(options.map((option) => option.value));
    for (const { value, label } of type.options.filter((option) => !kept.has(option.value))) {
      const sql = `select count(*) as n from ${tableSql(db, key)} where ?? = ?`;
      const [[{ n }]] = await db.knex.raw(sql, [name, value]);
      const forms = await impactOf(db, { table: key, column: name, option: value });
      const records = Number(n) === 1 ? '1 record' : `${num(Number(n))} records`;
      const users = [...(Number(n) > 0 ? [records] : []), ...forms.map(useWords)].join('; ');
      if (users !== '') fail('option_in_use', { given: label, label: column.label, users }, 409);
    }
    const after = {
      ...table,
      columns: table.columns.map((c) =>
        c.key === name ? { ...c, type: { ...type, options: [...options] } } : c,
      ),
    };
    await changeStructure(db, { table: key, statement: null, after, by });
    return after;
  });
}

/** Has a column take other files from now on; those that stand there stay. */
export async function changeFiles(
  db: Database,
  key: string,
  name: string,
  files: Omit<FilesType, 'kind'>,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const table = tableFrom(await loadTables(db), key);
    const column = ownColumn(table, name);
    if (column.type.kind !== 'files') {
      return fail('unknown_column', { table: table.title, column: name });
    }
    const type = { kind: 'files' as const, ...files };
    const columns = table.columns.map((c) => (c === column ? { ...c, type } : c));
    const after = { ...table, columns };
    await changeStructure(db, { table: key, statement: null, after, by });
    return after;
  });
}

/** Removes a table with its records; refused while another table or a form uses it. */
export async function removeTable(db: Database, key: string, by: string): Promise<void> {
  return structuring(db, async () => {
    const tables = await loadTables(db);
    const table = tableFrom(tables, key);
    const users = [
      ...referencesTo(tables, key)
        .filter((use) => use.table.key !== key)
        .map((use) => `${use.table.title} (${use.column.label})`),
      ...(await impactOf(db, { table: key })).map((use) => `form ${useWords(use)}`),
    ];
    if (users.length > 0) {
      fail('table_in_use', { table: table.title, users: users.join(', ') }, 409);
    }
    const statement = dropWholeTable(db, table);
    await changeStructure(db, { table: key, statement, after: null, by });
  });
}

function refersTo({ type }: Column, table: string): boolean {
  return type.kind === 'references' && type.table === table;
}
