import { problem, type Problem } from '../problems';
import { longestCode } from '../values/code';
import { isLink, severalIn, type ValueType } from '../values/types';
import { reservedKeys, type Column, type Table, type House } from './definition';
import { linkNameTooLong, linkTable, mirrorsRightly, ownLinks } from './links';

/** At most so many columns: more do not fit into one page of the database's storage. */
export const mostColumns = 150;
/** At most so many bytes may one record take, long texts not counted. */
export const widestRow = 60_000;

/** At most so many bytes of a record may have to stand on one page of the database's storage. */
export const fullestPage = 7900;

/** Everything that is wrong with a definition, by path (`columns[2]`). Other tables are looked up in `tables`. */
export function tableProblems(table: Table, tables: House): Problem[] {
  const problems: Problem[] = [];
  if (table.columns.length === 0) problems.push(problem('no_columns', {}, 'columns'));
  if (table.columns.length > mostColumns) {
    const details = { count: table.columns.length, limit: mostColumns };
    problems.push(problem('too_many_columns', details, 'columns'));
  }
  const bytes = rowBytes(table.columns);
  const onPage = pageBytes(table.columns);
  if (bytes > widestRow) {
    problems.push(problem('row_too_wide', { bytes, limit: widestRow }, 'columns'));
  } else if (onPage > fullestPage) {
    problems.push(problem('row_too_wide', { bytes: onPage, limit: fullestPage }, 'columns'));
  }
  const seen = new Set<string>();
  table.columns.forEach((column, i) => {
    const path = `columns[${i}]`;
    const details = { column: column.key, label: column.label };
    if (reservedKeys.has(column.key)) problems.push(problem('column_reserved', details, path));
    if (seen.has(column.key)) problems.push(problem('column_twice', details, path));
    seen.add(column.key);
    problems.push(...typeProblems(column, table, tables, path));
  });
  if (table.display.length === 0 && table.columns.length > 0) {
    problems.push(problem('display_empty', { table: table.title }, 'display'));
  }
  for (const key of table.display) {
    const type = table.columns.find((c) => c.key === key)?.type;
    if (!type || severalIn(type)) {
      problems.push(problem('bad_display', { table: table.title, column: key }, 'display'));
    }
  }
  for (const { column, name } of [...tables.values()].flatMap(ownLinks)) {
    const { label } = column;
    if (name === table.key) problems.push(problem('link_name_taken', { label, name }, 'key'));
  }
  return problems;
}

/** Bytes that one record takes at most, as the database counts them (four for a character). */
export function rowBytes(columns: readonly Column[]): number {
  return columns.reduce((sum, column) => sum + columnBytes(column.type), 0);
}

/**
 * Bytes of a record that must stand on one page of InnoDB: texts of up to 63 characters wholly, of
 * longer ones a part only, since they may be moved off the page.
 */
export function pageBytes(columns: readonly Column[]): number {
  return columns.reduce((sum, { type }) => {
    const bytes = columnBytes(type);
    const movable = type.kind === 'text' || type.kind === 'option' || type.kind === 'long_text';
    const aside = ['long_text', 'rows', 'files'].includes(type.kind);
    return sum + (aside || (movable && bytes > 257) ? 41 : bytes);
  }, 0);
}

function typeProblems(column: Column, table: Table, tables: House, path: string): Problem[] {
  const { type, label } = column;
  if (isLink(type) && type.table !== table.key && !tables.has(type.table)) {
    return [problem('reference_missing', { label, table: type.table }, path)];
  }
  if (type.kind === 'references' && !mirrorsRightly(tables, table.key, column)) {
    const details = { label, table: type.table, column: type.mirrors ?? '' };
    return [problem('mirror_missing', details, path)];
  }
  const { name } = linkTable(table.key, column) ?? {};
  if (name !== undefined && (name === table.key || tables.has(name))) {
    return [problem('link_name_taken', { label, name }, path)];
  }
  if (linkNameTooLong(table.key, column)) return [problem('link_name_long', { label }, path)];
  if (severalIn(type) && (column.required || column.unique)) {
    return [problem('several_plain', { label }, path)];
  }
  if (type.kind === 'option' && type.list !== undefined) {
    if (tables.lists.has(type.list)) return [];
    return [problem('list_missing', { label, list: type.list }, path)];
  }
  if (type.kind === 'option') {
    const values = type.options.map((o) => o.value.toLowerCase());
    const twice = values.find((value, i) => values.indexOf(value) !== i);
    if (twice !== undefined) return [problem('option_twice', { label, given: twice }, path)];
  }
  return [];
}

function columnBytes(type: ValueType): number {
  switch (type.kind) {
    case 'text':
      return type.length * 4 + 2;
    case 'option':
      return 100 * 4 + 2;
    case 'code':
      return longestCode * 4 + 2;
    case 'decimal':
      return Math.ceil(type.precision / 2) + 1;
    case 'yes_no':
      return 1;
    case 'references':
      return 0;
    default:
      return 12;
  }
}
