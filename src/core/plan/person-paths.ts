import { readFormula } from '../formula/reading';
import { pathOf, type Node } from '../formula/syntax';
import type { House } from '../table/definition';
import { personPathType } from '../table/record-condition';
import { formulaSites } from './formula-sites';
import type { Plan } from './schema';

/** What a form's formulas read of the person, by path: `name`, `region`, `region.name`. */
export function personPathsOf(plan: Plan, tables: House): readonly string[] {
  const byTables = known.get(plan) ?? new WeakMap<House, readonly string[]>();
  known.set(plan, byTables);
  const paths = byTables.get(tables) ?? pathsIn(plan, tables);
  byTables.set(tables, paths);
  return paths;
}

/** Found before: a plan and the tables are made anew whenever one of them changes. */
const known = new WeakMap<Plan, WeakMap<House, readonly string[]>>();

function pathsIn(plan: Plan, tables: House): string[] {
  const paths = new Set<string>(['name']);
  for (const { source } of formulaSites(plan, tables)) {
    const read = readFormula(source);
    if ('tree' in read) collect(read.tree, paths);
  }
  return [...paths].filter((path) => personPathType(tables, path) !== null);
}

function collect(node: unknown, paths: Set<string>): void {
  if (Array.isArray(node)) return node.forEach((one) => collect(one, paths));
  if (typeof node !== 'object' || node === null) return;
  const keys = pathOf(node as Node);
  if (keys?.[0] === 'person') {
    // Where a record is read on from, it must be known that it is there.
    for (let i = 2; i <= keys.length; i++) paths.add(keys.slice(1, i).join('.'));
    return;
  }
  Object.values(node).forEach((part) => collect(part, paths));
}
