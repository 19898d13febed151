import { fail, ProblemError } from '$lib/core/problems';

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

/** So many rows at most stand above the header: titles, each in one cell. */
const mostTitles = 2;

/**
 * A sheet opened by its rows: the first that is not empty is the header, but for titles, which stand alone above wider
 * rows; a header may have two rows, groups and names. Rows are as wide as it, or wider.
 */
export async function sheetFrom(rows: AsyncGenerator<CsvRow>): Promise<CsvFile> {
  const ahead: CsvRow[] = [];
  while (ahead.length < mostTitles + 2) {
    const next = await rows.next().catch(unreadable);
    if (next.done) break;
    ahead.push(next.value);
  }
  const titles = titlesIn(ahead);
  const head = ahead[titles];
  if (!head) return fail('file_empty', {}, 422, 'file');
  const grouped = groupedNames(head.cells, ahead[titles + 1]?.cells ?? []);
  const header = grouped ?? head.cells.map((name) => name.trim());
  while (header.length > 0 && header.at(-1) === '') header.pop();
  try {
    refuseTwice(header);
  } catch (error) {
    // What is not read is let go.
    await rows.return(undefined);
    throw error;
  }
  const rest = joined(ahead.slice(titles + (grouped ? 2 : 1)), rows);
  return { delimiter: ',', header, rows: batches(rest, header.length) };
}

/** How many of the first rows are titles: the header, and the row below it, have more cells than one. */
function titlesIn(rows: readonly CsvRow[]): number {
  const wide = rows.map(({ cells }) => cells.filter((cell) => cell !== '').length > 1);
  const head = wide.indexOf(true);
  return head > 0 && head <= mostTitles && wide[head + 1] === true ? head : 0;
}

/**
 * The names of columns whose header has two rows: groups above, and below each of them the names that it spans; a
 * column outside of groups has its name above, and nothing below. Nothing where the second row is no such row.
 */
function groupedNames(above: readonly string[], below: readonly string[]): string[] | null {
  const names: string[] = [];
  let group = '';
  let groups = 0;
  for (let i = 0; i < Math.max(above.length, below.length); i++) {
    const [over, under] = [(above[i] ?? '').trim(), (below[i] ?? '').trim()];
    const spans = (above[i + 1] ?? '').trim() === '' && (below[i + 1] ?? '').trim() !== '';
    if (over !== '') {
      // It names one column, or begins a group.
      if ((under !== '') !== spans) return null;
      group = spans ? over : '';
      groups += spans ? 1 : 0;
    }
    const isName = under === '' ? over !== '' : group !== '' && !/^[-+]?[\d.,]+$/.test(under);
    if (!isName) return null;
    names.push(under === '' ? over : `${group} ${under}`);
  }
  // One name above all others is a title, or the only name of a header.
  return groups > 0 && above.filter((name) => name.trim() !== '').length > 1 ? names : null;
}

/** Rows that were read already, and those behind them; whatever stops early lets the file go. */
async function* joined(ahead: CsvRow[], rows: AsyncGenerator<CsvRow>): AsyncGenerator<CsvRow> {
  try {
    yield* ahead;
    yield* rows;
  } finally {
    await rows.return(undefined);
  }
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
  if (error instanceof ProblemError) throw error;
  return fail(
    'package_unreadable',
    { reason: String((error as Error).message).slice(0, 200) },
    422,
    'file',
  );
}

/** A cell of a spreadsheet holds 32,767 signs, each of at most ten bytes where it is escaped. */
const longestRun = 1024 * 1024;

/**
 * XML of a spreadsheet as it comes. One with more text between two tags than a cell can hold is refused: whoever parses
 * it keeps such a text whole, and a small file can hold a very long one.
 */
export async function* inCells(chunks: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
  let run = 0;
  for await (const chunk of chunks) {
    const first = chunk.indexOf('<');
    run += first === -1 ? chunk.length : first;
    if (run > longestRun) fail('sheet_swollen', {}, 422, 'file');
    if (first !== -1) run = chunk.length - chunk.lastIndexOf('<');
    yield chunk;
  }
}
