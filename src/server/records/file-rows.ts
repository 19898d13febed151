import { fail } from '$lib/core/problems';

/** One row of a file: its cells, and the line on which it begins. */
export interface CsvRow {
  cells: string[];
  line: number;
}

/** A file opened for reading: its header, then its rows. */
export interface CsvFile {
  delimiter: string;
  header: string[];
  rows: AsyncGenerator<CsvRow[]>;
}

/** Refuses a header in which a name stands twice. */
export function refuseTwice(header: readonly string[]): void {
  const seen = new Map<string, number>();
  for (const [i, name] of header.entries()) {
    const first = seen.get(name.toLowerCase());
    if (name !== '' && first !== undefined) {
      fail('header_twice', { given: name, first: first + 1, second: i + 1 }, 422, 'file');
    }
    seen.set(name.toLowerCase(), i);
  }
}
