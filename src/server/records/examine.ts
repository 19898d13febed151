import type { Readable } from 'node:stream';
import { ColumnProfiler, type ColumnProfile } from '$lib/core/formats/csv-profile';
import { proposeColumns, type ImportColumn } from '$lib/core/formats/csv-rows';
import { mostValues, type ExaminedFile } from '$lib/core/formats/file-links';
import { longestText } from '$lib/core/values/types';
import { fail } from '$lib/core/problems';
import { openCsv } from './csv-file';

/** What a file holds, and what is proposed for it. */
export interface Examination {
  delimiter: string;
  rows: number;
  profiles: ColumnProfile[];
  columns: ImportColumn[];
}

/** Reads a whole file and proposes columns from all its rows. */
export async function examineFile(
  body: ReadableStream<Uint8Array> | Readable,
  delimiter?: string,
): Promise<Examination> {
  const { rows, profiles, columns, ...file } = await examineValues(body, delimiter);
  return { delimiter: file.delimiter, rows, profiles, columns };
}

/** The same, with the different values of each column, for matching it with others. */
export async function examineValues(
  body: ReadableStream<Uint8Array> | Readable,
  delimiter?: string,
  sheet = 1,
): Promise<Examination & Pick<ExaminedFile, 'values'>> {
  const file = await openCsv(body, delimiter, sheet);
  const profilers = file.header.map((name) => new ColumnProfiler(name));
  const seen = file.header.map((): Map<string, number> | null => new Map());
  let rows = 0;
  for await (const batch of file.rows) {
    rows += batch.length;
    for (const { cells, line } of batch) {
      profilers.forEach((p, i) => p.add(cells[i] ?? ''));
      seen.forEach((known, i) => {
        const text = (cells[i] ?? '').trim();
        if (!known || text === '' || known.has(text)) return;
        if (known.size === mostValues || text.length > longestText) seen[i] = null;
        else known.set(text, line);
      });
    }
  }
  if (rows === 0) fail('header_only', {}, 422, 'file');
  const profiles = profilers.map((profiler) => profiler.profile());
  const columns = proposeColumns(profiles);
  const values = seen.map((known) => known && [...known].map(([text, line]) => ({ text, line })));
  return { delimiter: file.delimiter, rows, profiles, columns, values };
}
