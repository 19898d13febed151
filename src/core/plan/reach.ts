import type { Tables } from '../table/definition';
import { tablesWith } from '../table/sources';
import { isLink, type ValueType } from '../values/types';
import { scopesOf, type Field, type Plan } from './schema';

/**
 * The tables, option lists, queries and systems that a plan has to do with, and those that records of
 * them refer to: all that its form needs to know, and nothing else of the house.
 */
export function reachedBy(plan: Plan, tables: Tables): Tables {
  const fields = scopesOf(plan).flatMap((scope) => scope.fields);
  const told = [
    ...(plan.sends ?? []),
    ...(plan.buttons ?? []).flatMap(({ steps }) => steps.filter((step) => step.do === 'tell')),
  ];
  const reached = withReferred(tables, [
    ...scopesOf(plan).map(({ table }) => table),
    ...plan.writes.map(({ table }) => table),
    ...fields.flatMap(tablesOf),
  ]);
  const columns = reached.flatMap((table) => table.columns);
  const lists = withAround(tables, [
    ...columns.map(({ type }) => listOf(type)),
    ...fields.map(({ holds, choices }) =>
      choices?.kind === 'options' ? choices.list : listOf(holds),
    ),
  ]);
  const asked = new Set([plan.through?.query, ...fields.map(queryOf)]);
  const queries = [...(tables.queries?.values() ?? [])].filter(({ key }) => asked.has(key));
  const named = new Set([...queries, ...told].map(({ connection }) => connection));
  const systems = [...(tables.systems?.values() ?? [])].filter(({ key }) => named.has(key));
  return tablesWith({ tables: reached, lists, queries, systems });
}

/** The tables that a field reads, or whose records it holds. */
function tablesOf({ choices, rollup, holds }: Field): string[] {
  const held = holds && isLink(holds) ? [holds.table] : [];
  return [
    ...(choices?.kind === 'table' ? [choices.table] : []),
    ...(rollup ? [rollup.table] : []),
    ...held,
  ];
}

function queryOf({ choices, outside }: Field): string | undefined {
  return choices?.kind === 'outside' ? choices.query : outside?.query;
}

function listOf(type: ValueType | null): string | undefined {
  return type?.kind === 'option' ? type.list : undefined;
}

/** Tables with all that they refer to, over any number of steps, in the order of the catalog. */
function withReferred(tables: Tables, keys: readonly string[]) {
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
function withAround(tables: Tables, keys: readonly (string | undefined)[]) {
  const found = new Set<string>();
  const open = keys.filter((key) => key !== undefined);
  for (let key = open.pop(); key !== undefined; key = open.pop()) {
    const list = tables.lists?.get(key);
    if (!list || found.has(key)) continue;
    found.add(key);
    if (list.of !== null) open.push(list.of);
  }
  return [...(tables.lists?.values() ?? [])].filter(({ key }) => found.has(key));
}
