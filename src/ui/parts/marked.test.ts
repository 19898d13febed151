import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rowsOfText } from '../lists/pasted';
import { markedParts } from './marked';

const marked = (text: string, typed: string) =>
  markedParts(text, typed)
    .map((part) => (part.marked ? `[${part.text}]` : part.text))
    .join('');

describe('B5 what matches the typed words', () => {
  it.each([
    ['Velden Town Winds', 'to wi', 'Velden [To]wn [Wi]nds'],
    ['Velden Town Winds', 'own', 'Velden Town Winds'],
    ['VTW-217', 'vtw-217', '[VTW]-[217]'],
    ['Écluse', 'éc', '[Éc]luse'],
    ['a.b (c)', '( c', 'a.b ([c])'],
    ['anything', '  ', 'anything'],
  ])('is marked where words begin: %s, %s', (text, typed, expected) => {
    expect(marked(text, typed)).toBe(expected);
  });

  it('leaves the text as it is, whatever is typed', () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), (text, typed) => {
        expect(
          markedParts(text, typed)
            .map((part) => part.text)
            .join(''),
        ).toBe(text);
      }),
    );
  });
});

describe('J5 pasted values', () => {
  it('are rows of cells: from a spreadsheet, from CSV, or a label a line', () => {
    expect(rowsOfText('dent\nworn part\n')).toEqual([['dent'], ['worn part']]);
    expect(rowsOfText('dent\tD\nworn, old\tW')).toEqual([
      ['dent', 'D'],
      ['worn, old', 'W'],
    ]);
    expect(rowsOfText('"a, b",x\nc,y')).toEqual([
      ['a, b', 'x'],
      ['c', 'y'],
    ]);
  });

  it('do not begin with the names of the columns', () => {
    expect(rowsOfText('Label,Value\ndent,D')).toEqual([['dent', 'D']]);
    expect(rowsOfText('')).toEqual([]);
  });
});
