import { describe, expect, it } from 'vitest';
import { linesPlan, lendingTables } from '../../../tests/support/lending';
import { Entry } from '$lib/core/entry/entry';
import { isoReading } from '$lib/core/values/reading';
import { wireForm } from '$lib/core/wiring/form';
import { mostRows } from '../../core/entry/rows';
import { copyBlock, copyOf, pasteBlock, putRow, takeRows } from './grid-edits';

const form = wireForm(linesPlan(), lendingTables);
const columns = [...(form.scopes.get('lines')?.fields.values() ?? [])].map(({ field }) => field);

function paste(entry: Entry, text: string, at = { row: 0, column: 0 }) {
  const lines = { rows: entry.rows('lines').slice(), add: () => entry.addRow('lines') };
  let pasted;
  entry.batch(() => (pasted = pasteBlock(entry, lines, columns, at, text, isoReading)));
  return pasted;
}
const copies = (entry: Entry) => entry.rows('lines').map((row) => entry.value('copies', row));

describe('E2 a block pasted into lines', () => {
  it('makes the lines it needs, from the cell on in which it is put', () => {
    const entry = new Entry(form);
    entry.addRow('lines', { values: { copies: 9 } });
    expect(paste(entry, '1\n2\n3\n', { row: 0, column: 1 })).toEqual({
      rows: 3,
      beside: 0,
      beyond: 0,
      plain: 0,
    });
    expect(copies(entry)).toEqual([1, 2, 3]);
  });

  it('with too many columns tells how many cells had none, blank ones aside', () => {
    const entry = new Entry(form);
    const beyond = '\t'.repeat(columns.length - 1);
    expect(paste(entry, `S-1\t2${beyond}left over\t\nS-1\t1`)).toEqual({
      rows: 2,
      beside: 1,
      beyond: 0,
      plain: 0,
    });
    expect(copies(entry)).toEqual([2, 1]);
  });

  it('with what is no number keeps the text at its cell, and spoils no other', () => {
    const entry = new Entry(form);
    paste(entry, 'many\n3', { row: 0, column: 1 });
    expect(copies(entry)).toEqual([null, 3]);
    const [first] = entry.rows('lines');
    expect(entry.rejectedText('copies', first)).toBe('many');
    expect(entry.problems().map(({ path }) => path)).toContain('lines[0].copies');
  });

  it('of more lines than a grid holds is cut there, and says so', () => {
    const entry = new Entry(form);
    const text = Array.from({ length: mostRows + 20 }, () => '1').join('\n');
    expect(paste(entry, text, { row: 0, column: 1 })).toEqual({
      rows: mostRows,
      beside: 0,
      beyond: 20,
      plain: 0,
    });
    expect(entry.rows('lines')).toHaveLength(mostRows);
    expect(entry.value('copies')).toBe(mostRows);
  });

  it('comes back as it was copied', () => {
    const entry = new Entry(form);
    paste(entry, '1\n2', { row: 0, column: 1 });
    const block = { top: 0, bottom: 1, left: 1, right: 1 };
    const shown = copyBlock(entry.rows('lines'), columns, block, (field, row) =>
      String(entry.value(field.key, row)),
    );
    expect(shown).toBe('1\n2');
  });
});

describe('E2 a line taken out', () => {
  it('is put back at its place, and copied behind itself', () => {
    const entry = new Entry(form);
    paste(entry, '1\n2\n3', { row: 0, column: 1 });
    const [, second] = entry.rows('lines');
    if (!second) throw new Error('no line');
    const [taken] = takeRows(entry, [second]);
    if (!taken) throw new Error('nothing was taken');
    expect(copies(entry)).toEqual([1, 3]);
    const back = putRow(entry, taken);
    expect(copies(entry)).toEqual([1, 2, 3]);
    putRow(entry, copyOf(entry, back));
    expect(copies(entry)).toEqual([1, 2, 2, 3]);
  });

  it('goes with others that were chosen, and all come back at their places', () => {
    const entry = new Entry(form);
    paste(entry, '1\n2\n3\n4\n5', { row: 0, column: 1 });
    const [first, second, , fourth] = entry.rows('lines');
    const chosen = [fourth, first, second].flatMap((row) => row ?? []);
    const taken = takeRows(entry, chosen);
    expect(copies(entry)).toEqual([3, 5]);
    for (const row of taken) putRow(entry, row);
    expect(copies(entry)).toEqual([1, 2, 3, 4, 5]);
  });
});
