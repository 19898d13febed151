import { describe, expect, it } from 'vitest';
import { linesPlan, lendingTables as tables, lendingWorld } from '../../../tests/support/lending';
import { readerOf } from '../../../tests/support/world';
import { isoReading } from '../values/reading';
import { wireForm } from '../wiring/form';
import { Entry } from './entry';
import { settle } from './settle';

const form = wireForm(linesPlan(), tables);
const open = () => new Entry(form);
const copies = (entry: Entry) => entry.rows('lines').map((row) => entry.value('copies', row));

describe('E2 the rows of an entry are put in order, taken as a whole, and typed into', () => {
  it('stand where they are put', () => {
    const entry = open();
    for (const n of [1, 2, 3]) entry.addRow('lines', { values: { copies: n } });
    entry.addRow('lines', { values: { copies: 9 } }, 1);
    expect(copies(entry)).toEqual([1, 9, 2, 3]);
    const [first] = entry.rows('lines');
    if (first) entry.moveRow(first, 2);
    expect(copies(entry)).toEqual([9, 2, 1, 3]);
    if (first) entry.moveRow(first, -5);
    expect(copies(entry)).toEqual([1, 9, 2, 3]);
    expect(entry.value('copies')).toBe(15);
  });

  it('begin again as they were, with what could not be read', () => {
    const entry = open();
    const row = entry.addRow('lines', { values: { copies: 4 } });
    entry.addRow('lines');
    entry.type('copies', 'many', isoReading, row);
    entry.type('weeks', 'x');
    const again = new Entry(form, { mode: 'resumed', ...entry.state() });
    expect(again.texts()).toEqual(entry.texts());
    expect(entry.texts()).toEqual([
      { grid: '', row: '', field: 'weeks', text: 'x' },
      { grid: 'lines', row: row.key, field: 'copies', text: 'many' },
    ]);
    expect(again.state()).toEqual(entry.state());
    again.retype([{ grid: 'lines', row: 'gone', field: 'copies', text: '1' }], isoReading);
    expect(again.state()).toEqual(entry.state());
  });

  it('have keys of their own, also those that are added after a draft was taken up again', () => {
    const entry = open();
    for (const n of [1, 2, 3]) entry.addRow('lines', { values: { copies: n } });
    const [first] = entry.rows('lines');
    if (first) entry.removeRow(first);
    const state = entry.state();
    // A draft of an older page may name two lines alike.
    const twice = (state.rows.lines ?? []).map((row) => ({ ...row, key: 'r2' }));
    for (const again of [
      new Entry(form, { mode: 'resumed', ...state, rows: { lines: twice } }),
      new Entry(form, { mode: 'resumed', ...entry.state() }),
      new Entry(form, { mode: 'opened', filled: entry.state() }),
    ]) {
      for (const n of [4, 5]) again.addRow('lines', { values: { copies: n } });
      const keys = again.rows('lines').map(({ key }) => key);
      expect(keys).toHaveLength(4);
      expect(new Set(keys).size).toBe(4);
    }
  });

  it('come out the same whether their changes are worked out one by one or together', async () => {
    const [single, together] = [open(), open()];
    const change = (entry: Entry) => {
      for (const code of ['S-1', '0042', 'none']) {
        const row = entry.addRow('lines');
        entry.type('score', code, isoReading, row);
        entry.type('copies', '3', isoReading, row);
      }
    };
    change(single);
    together.batch(() => change(together));
    for (const entry of [single, together]) {
      await settle(entry, readerOf(lendingWorld(), form));
    }
    expect(together.state()).toEqual(single.state());
    expect(together.problems()).toEqual(single.problems());
    expect(together.problems().map((p) => `${p.path}:${p.code}`)).toContain(
      'lines[2].score:unknown_match',
    );
    expect(together.value('total')).not.toBeNull();
  });
});
