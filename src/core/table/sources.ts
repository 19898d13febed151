import type { Query, System } from '../outside/query';
import type { Table, Tables } from './definition';
import type { Lists, OptionList } from './option-list';

/** What fields take values from and write to: tables, option lists, queries on outside systems, those systems. */
export interface Sources {
  tables: readonly Table[];
  lists?: readonly OptionList[];
  queries?: readonly Query[];
  systems?: readonly System[];
}

/** The tables with the options of their columns as the lists have them now, and what else there is beside them. */
export function tablesWith({ tables, lists = [], queries = [], systems = [] }: Sources): Tables {
  const listed: Lists = byKey(lists);
  const known = byKey(tables.map((table) => withOptions(table, listed)));
  return Object.assign(known, { lists: listed, queries: byKey(queries), systems: byKey(systems) });
}

/** What a screen needs to know of the sources of a form; how queries are asked stays on the server. */
export function sourcesOf(tables: Tables): Sources {
  return {
    tables: [...tables.values()],
    lists: [...(tables.lists?.values() ?? [])],
    queries: [...(tables.queries?.values() ?? [])].map((query) => ({ ...query, text: '' })),
    systems: [...(tables.systems?.values() ?? [])],
  };
}

function byKey<T extends { key: string }>(list: readonly T[]): Map<string, T> {
  return new Map(list.map((one) => [one.key, one]));
}

function withOptions(table: Table, lists: Lists): Table {
  const columns = table.columns.map((column) => {
    const { type } = column;
    if (type.kind !== 'option' || type.list === undefined) return column;
    return { ...column, type: { ...type, options: lists.get(type.list)?.values ?? [] } };
  });
  return { ...table, columns };
}
