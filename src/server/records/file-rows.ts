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

const batchSize = 500;

/** A sheet opened by its rows: the first that is not empty is the header; rows are as wide as it, or wider. */
export async function sheetFrom(rows: AsyncGenerator<CsvRow>): Promise<CsvFile> {
  const first = await rows.next().catch(unreadable);
  if (first.done) return fail('file_empty', {}, 422, 'file');
  const header = first.value.cells.map((name) => name.trim());
  while (header.length > 0 && header.at(-1) === '') header.pop();
  try {
    refuseTwice(header);
  } catch (error) {
    // What is not read is let go.
    await rows.return(undefined);
    throw error;
  }
  return { delimiter: ',', header, rows: batches(rows, header.length) };
}

async function* batches(rows: AsyncGenerator<CsvRow>, width: number): AsyncGenerator<CsvRow[]> {
  let batch: CsvRow[] = [];
  try {
    for await (const { cells, line } of rows) {
      const padded = Array.from(
        { length: Math.max(width, cells.length) },
        (_, i) => cells[i] ?? '',
      );
      batch.push({ cells: padded, line });
      if (batch.length < batchSize) continue;
      yield batch;
      batch = [];
    }
  } catch (error) {
    unreadable(error);
  }
  if (batch.length > 0) yield batch;
}

/** What went wrong in a file, as a problem. */
export function unreadable(error: unknown): never {
  return fail(
    'package_unreadable',
    { reason: String((error as Error).message).slice(0, 200) },
    422,
    'file',
  );
}
