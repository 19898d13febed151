import { say } from '$lib/core/words/say';
import { fail } from '$lib/core/problems';
import { keyFrom, type Column, type Table } from '$lib/core/table/definition';
import type { Option, ValueType } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { changeStructure, structuring } from '../database/structure';
import { listFrom, listLists, makeList, removeList } from './lists';
import { loadTables, ownColumn, tableFrom } from './tables';

type OptionType = Extract<ValueType, { kind: 'option' }>;

/** Makes an option list of a column's own options, from which the column takes them then; other columns can, too. */
export async function liftOptions(
  db: Database,
  key: string,
  name: string,
  title: string,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const { table, column, type } = await optionsOf(db, key, name);
    if (type.list !== undefined) fail('options_of_list', { label: column.label }, 409);
    const taken = (await listLists(db)).map((list) => list.key);
    const values = type.options.map(plainOption);
    const list = { key: keyFrom(title, taken), title, category: say('From tables'), note: '' };
    const made = await makeList(db, { ...list, of: null, values }, by);
    try {
      return await retyped(db, table, column, { ...type, options: values, list: made.key }, by);
    } catch (error) {
      // A list that nothing takes its values from would only lie about.
      await removeList(db, made.key);
      throw error;
    }
  });
}

/** Gives a column the values of its option list as options of its own; the list stays for others. */
export async function ownOptions(
  db: Database,
  key: string,
  name: string,
  by: string,
): Promise<Table> {
  return structuring(db, async () => {
    const { table, column, type } = await optionsOf(db, key, name);
    if (type.list === undefined) return table;
    const { values } = await listFrom(db, type.list);
    return retyped(db, table, column, { kind: 'option', options: values.map(plainOption) }, by);
  });
}

/** An option without the value of another list to which it belongs. */
function plainOption(option: Option): Option {
  return { ...option, of: undefined };
}

async function optionsOf(db: Database, key: string, name: string) {
  const table = tableFrom(await loadTables(db), key);
  const column = ownColumn(table, name);
  const { type } = column;
  if (type.kind !== 'option') return fail('unknown_column', { table: table.title, column: name });
  return { table, column, type };
}

async function retyped(
  db: Database,
  table: Table,
  column: Column,
  type: OptionType,
  by: string,
): Promise<Table> {
  const columns = table.columns.map((each) => (each === column ? { ...each, type } : each));
  const after = { ...table, columns };
  await changeStructure(db, { table: table.key, statement: null, after, by });
  return tableFrom(await loadTables(db), table.key);
}
