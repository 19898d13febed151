import { readFormula } from '../formula/reading';
import { pathsIn, type Step } from '../formula/syntax';
import type { Column, House } from './definition';
import type { Role, TableRight } from '../access/role';

/** That a table (`column` is `null`), or one of its columns, gets another key. */
export interface Renamed {
  table: string;
  column: string | null;
  to: string;
}

/**
 * A role in which a table, or a column, has its other key: what is hidden stays hidden, and conditions by record go
 * on. `tables` is the house as it was.
 */
export function renameInRole(role: Role, tables: House, renamed: Renamed): Role {
  const { table: of, column, to } = renamed;
  const rights = Object.entries(role.tables).map(([key, right]): [string, TableRight] => {
    const named = (keys: readonly string[]) =>
      key === of && column !== null ? keys.map((each) => (each === column ? to : each)) : [...keys];
    const when = renameInCondition(right.when, key, tables, renamed);
    const { hidden, readOnly } = right;
    const after = { ...right, hidden: named(hidden), readOnly: named(readOnly), when };
    return [key === of && column === null ? to : key, after];
  });
  return { ...role, tables: Object.fromEntries(rights) };
}

/** A condition over a record of a table with the other key in it; one that cannot be read stays as it is. */
export function renameInCondition(
  source: string,
  table: string,
  tables: House,
  { table: of, column, to }: Renamed,
): string {
  const read = source === '' ? null : readFormula(source);
  if (!read || 'problem' in read) return source;
  const places = new Map<number, Step>();
  const note = (steps: readonly Step[], start: string) => {
    let at: string | undefined = start;
    for (const step of steps) {
      if (at === of && step.key === column) places.set(step.from, step);
      const columns: readonly Column[] = tables.get(at ?? '')?.columns ?? [];
      const type = columns.find(({ key }) => key === step.key)?.type;
      at = type?.kind === 'reference' ? type.table : undefined;
    }
  };
  for (const steps of pathsIn(read.tree)) {
    const [first, second, ...rest] = steps;
    const own = tables.get(table)?.columns.some(({ key }) => key === 'person');
    if (first?.key !== 'person' || own) {
      note(steps, table);
      continue;
    }
    if (!second) continue;
    if (column === null && second.key === of) places.set(second.from, second);
    note(rest, second.key);
  }
  return [...places.values()]
    .sort((a, b) => b.from - a.from)
    .reduce((text, { from, to: end }) => text.slice(0, from) + to + text.slice(end), source);
}
