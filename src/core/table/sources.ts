import type { Query, System } from '../outside/query';
import { House, type HouseParts, type Table } from './definition';
import type { Lists, OptionList } from './option-list';

/** A house as it goes over the wire. What fields take values from and write to: tables, option lists, queries on outside systems, those systems. */
export interface Sources {
  tables: readonly Table[];
  lists?: readonly OptionList[];
  queries?: readonly Query[];
  systems?: readonly System[];
  typed?: readonly (readonly [string, string])[];
}

/** The tables with the options of their columns as the lists have them now, and what else there is beside them. */
export function tablesWith({
  tables,
  lists = [],
  queries = [],
  systems = [],
  typed = [],
}: Sources): House {
  const listed: Lists = byKey(lists);
  const known = byKey(tables.map((table) => withOptions(table, listed)));
  const [asked, reached] = [byKey(queries), byKey(systems)];
  return houseOf(known, { lists: listed, queries: asked, systems: reached, typed: new Map(typed) });
}

/** A house of these tables, with what is said beside them and nothing else. */
export function houseOf(
  tables: Iterable<readonly [string, Table]> = [],
  parts: Partial<HouseParts> = {},
): House {
  const none = { lists: new Map(), queries: new Map(), systems: new Map(), typed: new Map() };
  return new House(tables, { ...none, ...parts });
}

/** What a screen needs to know of the sources of a form; how queries are asked stays on the server. */
export function sourcesOf(tables: House): Sources {
  return {
    tables: [...tables.values()],
    lists: [...tables.lists.values()],
    queries: [...tables.queries.values()].map((query) => ({ ...query, text: '' })),
    systems: [...tables.systems.values()],
    typed: [...tables.typed],
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
