import type { Readable } from 'node:stream';
import { ColumnProfiler, type ColumnProfile } from '$lib/core/formats/csv-profile';
import { proposeColumns, type ImportColumn } from '$lib/core/formats/csv-rows';
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
  const file = await openCsv(body, delimiter);
  const profilers = file.header.map((name) => new ColumnProfiler(name));
  let rows = 0;
  for await (const batch of file.rows) {
    rows += batch.length;
    for (const { cells } of batch) profilers.forEach((p, i) => p.add(cells[i] ?? ''));
  }
  if (rows === 0) fail('header_only', {}, 422, 'file');
  const profiles = profilers.map((profiler) => profiler.profile());
  return { delimiter: file.delimiter, rows, profiles, columns: proposeColumns(profiles) };
}
