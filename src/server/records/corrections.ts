import { z } from 'zod';
import type { CsvRow } from './file-rows';

/** The cell of a row, counted from 0. */
const source = z.number().int().min(0).max(10_000);
const instead = z.string().max(2000);
/** What is put right as a file comes in: a text wherever it stands in its column, or one cell by its line. */
export const correctionsSchema = z
  .array(
    z.union([
      z.strictObject({ source, given: z.string().max(2000), instead }),
      z.strictObject({ source, line: z.number().int().min(1), instead }),
    ]),
  )
  .max(2000)
  .default([]);
export type Corrections = z.infer<typeof correctionsSchema>;

/** The rows of a file with what was put right in them; the file stays as it is. */
export async function* corrected(
  rows: AsyncIterable<CsvRow[]>,
  corrections: Corrections,
): AsyncGenerator<CsvRow[]> {
  if (corrections.length === 0) return yield* rows;
  /** Texts by column, and cells by line. */
  const texts = new Map<number, Map<string, string>>();
  const lines = new Map<number, Map<number, string>>();
  for (const one of corrections) {
    if ('given' in one) noted(texts, one.source).set(one.given.trim(), one.instead);
    else noted(lines, one.line).set(one.source, one.instead);
  }
  for await (const batch of rows) {
    for (const { cells, line } of batch) {
      for (const [at, instead] of texts) {
        const put = instead.get((cells[at] ?? '').trim());
        if (put !== undefined && at < cells.length) cells[at] = put;
      }
      for (const [at, put] of lines.get(line) ?? []) if (at < cells.length) cells[at] = put;
    }
    yield batch;
  }
}

function noted<K, V>(all: Map<number, Map<K, V>>, key: number): Map<K, V> {
  const own = all.get(key) ?? new Map<K, V>();
  all.set(key, own);
  return own;
}
