import { say } from '../words/say';
import { z } from 'zod';
import { problem, type Problem } from '../problems';
import { columnSchema, keyFrom, type Column } from '../table/definition';
import { fullestPage, pageBytes, rowBytes, widestRow } from '../table/definition-problems';
import { parseText, readingOf } from '../values/parse';
import type { Value } from '../values/types';
import { fileReadingSchema, type ColumnProfile } from './csv-profile';

/** How one column of a file becomes a column of a table. */
export const importColumnSchema = columnSchema.extend({
  /** Which cell of a row, counted from 0. */
  source: z.number().int().min(0).max(10_000),
  reading: fileReadingSchema,
  /** For a reference: the column of the other table that the cells are matched with. */
  match: z.string().nullable().default(null),
});
export type ImportColumn = z.infer<typeof importColumnSchema>;

/** Why a row is not brought in. */
export interface Rejection {
  /** The line of the file in which the row begins, counted from 1. */
  line: number;
  /** The label of the column; `null` where the row as a whole is meant. */
  column: string | null;
  /** The cell, counted from 0, and what stands in it; where one cell is meant. */
  source?: number;
  given?: string;
  problem: Problem;
}

/** Finds the records that cells name; filled from the other tables before rows are read. */
export interface Matches {
  /** The record with this text, `ambiguous` where there are several, `null` where there is none. */
  find(column: ImportColumn, text: string): number | 'ambiguous' | null;
  /** Title of the other table and label of its column, for sentences. */
  names(column: ImportColumn): { table: string; column: string };
}

/** Reads rows of text as values; remembers what must not stand twice. */
export class RowReader {
  readonly #columns: readonly ImportColumn[];
  readonly #cellCount: number;
  readonly #matches: Matches;
  readonly #seen: Map<string, Map<string, number>>;

  constructor(
    columns: readonly ImportColumn[],
    cellCount: number,
    matches: Matches,
    /** What tells whether two texts are equal: whoever keeps them says. */
    readonly equal: (text: string) => string,
    /** Values of unique columns that the table has already, by column and key. */
    readonly there: (column: ImportColumn, key: string) => boolean = () => false,
  ) {
    this.#columns = columns;
    this.#cellCount = cellCount;
    this.#matches = matches;
    this.#seen = new Map(columns.filter((c) => c.unique).map((c) => [c.key, new Map()]));
  }

  /** The values of a row in the order of the columns, or every reason against it. */
  read(cells: readonly string[], line: number): Value[] | Rejection[] {
    if (cells.length !== this.#cellCount) {
      const details = { cells: cells.length, columns: this.#cellCount };
      return [{ line, column: null, problem: problem('ragged_row', details) }];
    }
    const values: Value[] = [];
    const rejections: Rejection[] = [];
    for (const column of this.#columns) {
      const { source } = column;
      const given = cells[source] ?? '';
      const read = this.#cell(column, given, line);
      const at = { line, column: column.label, source, given: given.slice(0, 200) };
      if (isProblem(read)) rejections.push({ ...at, problem: read });
      else values.push(read);
    }
    return rejections.length > 0 ? rejections : values;
  }

  #cell(column: ImportColumn, cell: string, line: number): Value | Problem {
    const value = this.#value(column, cell);
    if (isProblem(value)) return value;
    if (value === null) {
      return column.required ? problem('required', { label: column.label }) : null;
    }
    const seen = this.#seen.get(column.key);
    if (seen) {
      const known = this.equal(String(value));
      if (this.there(column, known)) {
        return problem('not_unique_there', { label: column.label, given: cell.trim() });
      }
      const first = seen.get(known);
      if (first !== undefined) {
        const details = { label: column.label, given: cell.trim(), line: first };
        return problem('twice_in_file', details);
      }
      seen.set(known, line);
    }
    return value;
  }

  #value(column: ImportColumn, cell: string): Value | Problem {
    if (column.type.kind === 'reference' && column.match !== null) {
      const given = cell.trim();
      if (given === '') return null;
      const id = this.#matches.find(column, given);
      if (typeof id === 'number') return id;
      const code = id === 'ambiguous' ? 'ambiguous_match' : 'unknown_match';
      return problem(code, { ...this.#matches.names(column), given });
    }
    const parsed = parseText(column.type, cell, column.label, readingOf(column.reading));
    return 'problem' in parsed ? parsed.problem : parsed.value;
  }
}

/** The columns proposed for a file: as profiled, long text where short ones would not fit one record. */
export function proposeColumns(profiles: readonly ColumnProfile[]): ImportColumn[] {
  const taken: string[] = [];
  const columns = profiles.map((profile, source): ImportColumn => {
    const key = keyFrom(profile.name, taken);
    taken.push(key);
    return {
      key,
      label:
        profile.name.trim() === ''
          ? say(`Column ${source + 1}`)
          : profile.name.trim().slice(0, 200),
      type: profile.proposed,
      required: false,
      unique: false,
      source,
      reading: profile.reading,
      match: null,
    };
  });
  if (pageBytes(columns) > fullestPage) {
    // Longer texts need less room on the page than short ones that cannot be moved off it.
    for (const column of columns) {
      if (column.type.kind === 'text' && column.type.length < 64) column.type.length = 64;
    }
  }
  const longest = [...columns].sort((a, b) => rowBytes([b]) - rowBytes([a]));
  for (const column of longest) {
    if (rowBytes(columns) <= widestRow) break;
    if (column.type.kind === 'text') column.type = { kind: 'long_text' };
  }
  return columns;
}

/** The column definition without what only the import needs. */
export function plainColumn(column: ImportColumn): Column {
  const { key, label, type, required, unique } = column;
  return { key, label, type, required, unique };
}

function isProblem(read: Value | Problem): read is Problem {
  return typeof read === 'object' && read !== null && !Array.isArray(read);
}
