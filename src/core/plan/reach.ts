import type { House, Table } from '../table/definition';
import { tablesWith } from '../table/sources';
import { isLink } from '../values/types';
import { personPathsOf } from './person-paths';
import { referencesOf, type Reference } from './references';
import type { Plan } from './schema';

/**
 * The tables, option lists, queries and systems that a plan has to do with, and those that records of
 * them refer to: all that its form needs to know, and nothing else of the house.
 */
export function reachedBy(plan: Plan, tables: House): House {
  const named = (kind: Reference['kind']) =>
    new Set(references.filter((each) => each.kind === kind).map(({ name }) => name));
  const references = referencesOf(plan, tables);
  const reached = reachedTables(plan, tables);
  const columns = reached.flatMap((table) => table.columns);
  const lists = withAround(tables, [
    ...columns.map(({ type }) => (type.kind === 'option' ? type.list : undefined)),
    ...named('list'),
  ]);
  const asked = named('query');
  const queries = [...tables.queries.values()].filter(({ key }) => asked.has(key));
  const told = named('system');
  for (const { connection } of queries) told.add(connection);
  const systems = [...tables.systems.values()].filter(({ key }) => told.has(key));
  return tablesWith({ tables: reached, lists, queries, systems });
}

/** The tables that a plan names, with all that they refer to. */
export function reachedTables(plan: Plan, tables: House): Table[] {
  const named = referencesOf(plan, tables).flatMap(({ kind, name }) =>
    kind === 'table' ? [name] : [],
  );
  // What a person stands for is reached by formulas that read it.
  const stoodFor = personPathsOf(plan, tables).map((path) => path.split('.')[0] ?? '');
  return withReferred(tables, [...named, ...stoodFor]);
}

/** Tables with all that they refer to, over any number of steps, in the order of the catalog. */
export function withReferred(tables: House, keys: readonly string[]): Table[] {
  const found = new Set<string>();
  const open = [...keys];
  for (let key = open.pop(); key !== undefined; key = open.pop()) {
    const table = tables.get(key);
    if (!table || found.has(key)) continue;
    found.add(key);
    for (const { type } of table.columns) if (isLink(type)) open.push(type.table);
  }
  return [...tables.values()].filter(({ key }) => found.has(key));
}

/** Lists with those to whose values theirs belong. */
function withAround(tables: House, keys: readonly (string | undefined)[]) {
  const found = new Set<string>();
  const open = keys.filter((key) => key !== undefined);
  for (let key = open.pop(); key !== undefined; key = open.pop()) {
    const list = tables.lists.get(key);
    if (!list || found.has(key)) continue;
    found.add(key);
    if (list.of !== null) open.push(list.of);
  }
  return [...(tables.lists.values() ?? [])].filter(({ key }) => found.has(key));
}
