import { describe, expect, it } from 'vitest';
import { plainText, type ValueType } from '../values/types';
import { canBecome, kindsAfter, namesIn, namesText } from './retype';

const links: ValueType = { kind: 'references', table: 'town', mirrors: null };
const seen: ValueType = { kind: 'references', table: 'town', mirrors: 'visits' };

describe('A9 what a column can become', () => {
  it('is whatever has values of its own, and never a code, or the other side of links', () => {
    expect(canBecome(plainText, links)).toBe(true);
    expect(canBecome(links, { kind: 'reference', table: 'town' })).toBe(true);
    expect(canBecome(plainText, { kind: 'code', pattern: '{0000}' })).toBe(false);
    expect(canBecome(seen, plainText)).toBe(false);
    expect(canBecome(plainText, seen)).toBe(false);
    expect([...kindsAfter(seen)]).toEqual(['references']);
    expect(kindsAfter({ kind: 'code', pattern: '{0000}' })).toContain('code');
    expect(kindsAfter(plainText)).not.toContain('code');
  });
});

describe('A9 a text that names several records', () => {
  it.each([
    ['Velden', [['Velden']]],
    ['Brann, Ottilie', [['Brann, Ottilie'], ['Brann', 'Ottilie']]],
    ['a; b', [['a; b'], ['a', 'b']]],
    [
      'a\nb, c',
      [
        ['a', 'b, c'],
        ['a', 'b', 'c'],
      ],
    ],
    ['', [[]]],
  ])('is read in the likeliest way first: %j', (text, ways) => {
    expect(namesIn(text)).toEqual(ways);
  });

  it('is read back as the same names', () => {
    const names = ['Velden', 'Oakhurst Mill', 'Reed 3'];
    expect(namesIn(namesText(names))).toContainEqual(names);
  });
});
