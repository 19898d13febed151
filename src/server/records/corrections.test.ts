import { describe, expect, it } from 'vitest';
import { corrected, correctionsSchema, type Corrections } from './corrections';
import type { CsvRow } from './file-rows';

async function put(rows: CsvRow[], corrections: Corrections): Promise<string[][]> {
  async function* given() {
    yield structuredClone(rows);
  }
  const all: string[][] = [];
  for await (const batch of corrected(given(), corrections)) {
    all.push(...batch.map(({ cells }) => cells));
  }
  return all;
}

describe('rows of a file are put right', () => {
  const rows = [
    { line: 2, cells: ['A-1', ' Veldn ', 'x'] },
    { line: 3, cells: ['A-2', 'Veldn', 'x'] },
    { line: 5, cells: ['Veldn'] },
  ];

  it('by text wherever it stands in its column, and by cell, which comes first', async () => {
    const corrections: Corrections = [
      { source: 1, line: 3, instead: 'Oakhurst' },
      { source: 1, given: 'Veldn', instead: 'Velden' },
      { source: 2, line: 2, instead: '' },
      { source: 1, line: 5, instead: 'no such cell' },
      { source: 7, given: '', instead: 'no such column' },
    ];
    expect(await put(rows, corrections)).toEqual([
      ['A-1', 'Velden', ''],
      ['A-2', 'Oakhurst', 'x'],
      ['Veldn'],
    ]);
  });

  it('or stay as they are', async () => {
    expect(await put(rows, [])).toEqual(rows.map(({ cells }) => cells));
  });

  it('and a correction says a text or a line, not both', () => {
    const both = [{ source: 0, given: 'a', line: 2, instead: 'b' }];
    expect(correctionsSchema.safeParse(both).success).toBe(false);
    expect(correctionsSchema.parse(undefined)).toEqual([]);
  });
});
