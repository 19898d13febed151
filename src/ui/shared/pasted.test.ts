import Papa from 'papaparse';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { pastedRows, separatedRows } from './pasted';

describe('cells pasted from a spreadsheet', () => {
  it.each([
    ['"Fanfare" suite\t2', [['"Fanfare" suite', '2']]],
    ['"Fanfare"\t2', [['"Fanfare"', '2']]],
    [
      '12" drum\t1\n"high\t2',
      [
        ['12" drum', '1'],
        ['"high', '2'],
      ],
    ],
    ['"two\nlines"\t1\n', [['two\nlines', '1']]],
    ['"a ""b"" c"\t1', [['a "b" c', '1']]],
    ['" a"\t""', [[' a', '']]],
  ])('%j keeps the quotes that belong to the text', (text, rows) => {
    expect(pastedRows(text)).toEqual(rows);
  });

  it('comes back as it was copied, whatever stands in it', () => {
    const cell = fc.string({ unit: fc.constantFrom('a', '"', '\t', '\n', ' ', ',') });
    const block = fc
      .integer({ min: 2, max: 3 })
      .chain((n) => fc.array(fc.array(cell, { minLength: n, maxLength: n }), { minLength: 1 }));
    fc.assert(
      fc.property(block, (rows) => {
        const copied = Papa.unparse(rows, { delimiter: '\t', newline: '\n' });
        expect(pastedRows(`${copied}\n`)).toEqual(rows);
      }),
    );
  });
});

describe('values pasted into a list', () => {
  it('read commas or semicolons, and quotes that are none as text', () => {
    expect(separatedRows('a,"b, c"\nd,e')).toEqual([
      ['a', 'b, c'],
      ['d', 'e'],
    ]);
    expect(separatedRows('"Allegro" first,1\nlast,2')).toEqual([
      ['"Allegro" first', '1'],
      ['last', '2'],
    ]);
  });
});
