import { columnOf, type Column, type Table, type House } from './definition';

/** A column reached from a table, through references: `town.region.name`. */
export interface ResolvedPath {
  /** The references followed, each with the table it leads to. */
  steps: { column: Column; to: Table }[];
  /** The table in which the last column stands. */
  table: Table;
  column: Column;
}

const deepest = 6;

/** Follows a path from `table`; `null` where a step is no column, or no reference. */
export function resolvePath(tables: House, table: Table, path: string): ResolvedPath | null {
  const keys = path.split('.');
  const last = keys.pop();
  if (last === undefined || keys.length > deepest) return null;
  const steps: ResolvedPath['steps'] = [];
  let here = table;
  for (const key of keys) {
    const column = columnOf(here, key);
    const to = column?.type.kind === 'reference' ? tables.get(column.type.table) : undefined;
    if (!column || !to) return null;
    steps.push({ column, to });
    here = to;
  }
  const column = columnOf(here, last);
  return column ? { steps, table: here, column } : null;
}

/** The path in words: `town.region.name` → `town region name`, by the labels of its columns. */
export function pathLabel(tables: House, table: Table, path: string): string {
  const resolved = resolvePath(tables, table, path);
  if (!resolved) return path;
  return [...resolved.steps.map((s) => s.column.label), resolved.column.label].join(' › ');
}

/**
 * The shortest label that says which column is meant: a column that shows a referred record goes by the
 * reference (`maker.name` → `Maker`), any other by its own label.
 */
export function shortLabel(tables: House, table: Table, path: string): string {
  const resolved = resolvePath(tables, table, path);
  const last = resolved?.steps.at(-1);
  if (!resolved || !last) return resolved?.column.label ?? path;
  return last.to.display[0] === resolved.column.key ? last.column.label : resolved.column.label;
}

/**
 * The paths that show a record of `table` to people: its display columns, each reference among them
 * replaced by what shows the referred record. Never empty: `id` where nothing else is left.
 */
export function displayPaths(tables: House, table: Table): string[] {
  const paths = expand(tables, table, '', [table.key]);
  return paths.length > 0 ? paths : ['id'];
}

/** All columns within reach of `table` through at most `depth` references, nearest first. */
export function reachablePaths(
  tables: House,
  table: Table,
  depth: number,
): { path: string; label: string; column: Column }[] {
  const own = table.columns.map((column) => ({ path: column.key, label: column.label, column }));
  if (depth === 0) return own;
  const further = table.columns.flatMap((column) => {
    const to = column.type.kind === 'reference' ? tables.get(column.type.table) : undefined;
    if (!to) return [];
    return reachablePaths(tables, to, depth - 1).map((found) => ({
      path: `${column.key}.${found.path}`,
      label: `${column.label} › ${found.label}`,
      column: found.column,
    }));
  });
  return [...own, ...further];
}

function expand(tables: House, table: Table, prefix: string, visited: string[]): string[] {
  return table.display.flatMap((key) => {
    const column = columnOf(table, key);
    if (!column) return [];
    if (column.type.kind !== 'reference') return [prefix + key];
    const to = tables.get(column.type.table);
    if (!to || visited.includes(to.key) || visited.length > 4) return [];
    return expand(tables, to, `${prefix}${key}.`, [...visited, to.key]);
  });
}

/** Joins what shows a record into one line. */
export function shownLine(parts: readonly string[]): string {
  const line = parts.filter((part) => part !== '').join(' · ');
  return line === '' ? 'unnamed' : line;
}
