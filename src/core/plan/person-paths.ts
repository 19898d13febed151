import { readFormula } from '../formula/reading';
import { pathsIn } from '../formula/syntax';
import type { House } from '../table/definition';
import { personPathType } from '../table/record-condition';
import { formulaSites } from './formula-sites';
import type { Plan } from './schema';

/** What a form's formulas read of the person, by path: `name`, `region`, `region.name`. */
export function personPathsOf(plan: Plan, tables: House): readonly string[] {
  const byTables = known.get(plan) ?? new WeakMap<House, readonly string[]>();
  known.set(plan, byTables);
  const paths = byTables.get(tables) ?? readOfPerson(plan, tables);
  byTables.set(tables, paths);
  return paths;
}

/** Found before: a plan and the tables are made anew whenever one of them changes. */
const known = new WeakMap<Plan, WeakMap<House, readonly string[]>>();

function readOfPerson(plan: Plan, tables: House): string[] {
  const paths = new Set<string>(['name']);
  for (const { source } of formulaSites(plan, tables)) {
    const read = readFormula(source);
    if ('problem' in read) continue;
    for (const [first, ...steps] of pathsIn(read.tree)) {
      if (first?.key !== 'person') continue;
      const keys = steps.map(({ key }) => key);
      // Where a record is read on from, it must be known that it is there.
      keys.forEach((_, i) => paths.add(keys.slice(0, i + 1).join('.')));
    }
  }
  return [...paths].filter((path) => personPathType(tables, path) !== null);
}
