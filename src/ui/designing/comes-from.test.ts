import { describe, expect, it } from 'vitest';
import { column, table } from '../../../tests/support/definitions';
import { houseOf, tablesWith } from '../../core/table/sources';
import { plainText } from '../../core/values/types';
import { choicesFitting, choicesOfMatch, originsOf } from './comes-from';

const score = table('score', [column('code', { unique: true }), column('title')]);
const tables = tablesWith({
  tables: [score, table('note', [column('about')])],
  lists: [{ key: 'kinds', title: 'Kinds', category: '', note: '', of: null, values: [] }],
  queries: [],
  systems: [],
});
const match = { table: 'score', column: 'code', values: 40, matching: 40, exceptions: [] };

describe('what a value can come from', () => {
  it('offers what the data suggest first, each kind under its heading, each once', () => {
    const around = { tables, lookups: [{ key: 'piece', label: 'Piece' }], broughtBy: null };
    const origins = originsOf({ ...around, matches: [match] });
    expect(origins[0]).toMatchObject({ group: 'The data suggest', match });
    expect(new Set(origins.map(({ word }) => word)).size).toBe(origins.length);
    const groups = origins.map(({ group }) => group);
    const begins = groups.filter((group, i) => group !== groups[i - 1]);
    expect(new Set(begins).size).toBe(begins.length);
    expect(origins.map(({ word }) => word)).toEqual(
      expect.arrayContaining(['', 'options:kinds', 'table:score', 'columns:piece', 'rollup:note']),
    );
    expect(originsOf({ ...around, matches: [] })[0]?.word).toBe('');
  });

  it('keeps the link where a reference is held, and copies a key where a text is', () => {
    const house = houseOf(tables, tables);
    const held = choicesFitting('score', house, { kind: 'reference', table: 'score' });
    expect(held.stores).toEqual({ kind: 'link' });
    expect(choicesFitting('score', house, plainText).stores).toEqual({
      kind: 'copy',
      column: 'code',
    });
    expect(choicesFitting('note', house, { kind: 'date' }).stores).toEqual({ kind: 'link' });
    expect(choicesOfMatch(match, house)).toMatchObject({
      table: 'score',
      stores: { column: 'code' },
    });
  });
});
