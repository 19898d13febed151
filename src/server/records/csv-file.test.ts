import exceljs from 'exceljs';
import type { ProblemError } from '../../core/problems';
import { Readable } from 'node:stream';
import fc from 'fast-check';
import { stringify } from 'csv-stringify/sync';
import { describe, expect, it } from 'vitest';
import { guessDelimiter, openCsv } from './csv-file';
import type { CsvRow } from './file-rows';

/** Reads a text in pieces of `size` bytes, as a network brings it. */
async function read(text: string, size = 65_536, delimiter?: string) {
  const bytes = Buffer.from(text);
  const pieces = Array.from({ length: Math.ceil(bytes.length / size) }, (_, i) =>
    bytes.subarray(i * size, (i + 1) * size),
  );
  const file = await openCsv(Readable.from(pieces), delimiter);
  const rows: CsvRow[] = [];
  for await (const batch of file.rows) rows.push(...batch);
  return { header: file.header, delimiter: file.delimiter, rows };
}

describe('A1 CSV as RFC 4180 writes it', () => {
  it('knows the line on which each row begins, over blank lines and cells of several lines', async () => {
    const text = 'a,b\r\n1,2\r\n\r\n"one\r\ntwo\r\nthree",4\r\n5,6\r\n';
    const { rows } = await read(text);
    expect(rows.map((row) => [row.line, row.cells[1]])).toEqual([
      [2, '2'],
      [4, '4'],
      [7, '6'],
    ]);
  });

  it('keeps ragged rows as they are, for the reader to refuse', async () => {
    const { rows } = await read('a,b\n1\n1,2,3\n');
    expect(rows.map((row) => row.cells.length)).toEqual([1, 3]);
  });

  it('reads a letter that is cut in two by the network', async () => {
    for (const size of [1, 2, 3, 5]) {
      const { rows } = await read('name\nMüller ½ 🎻\n', size);
      expect(rows[0]?.cells).toEqual(['Müller ½ 🎻']);
    }
  });

  it('reads back whatever is written, in pieces of any size', async () => {
    const cell = fc
      .string({ unit: 'grapheme', maxLength: 12 })
      .map((text) => text.replace(/\0|\ufeff/g, ''));
    const row = fc.tuple(cell, cell, cell);
    await fc.assert(
      fc.asyncProperty(
        fc.array(row, { minLength: 1, maxLength: 20 }),
        fc.integer({ min: 1, max: 50 }),
        async (written, size) => {
          const text = stringify([['a', 'b', 'c'], ...written], { quoted: true });
          const { rows } = await read(text, size, ',');
          expect(rows.map((r) => r.cells)).toEqual(written);
        },
      ),
      { numRuns: 60 },
    );
  });

  it.each([
    ['a;b;c\n1,5;2,5;3\n', ';'],
    ['"a,1";"b,2"\n"x";"y"\n', ';'],
    ['a\tb\n1, 2\t3\n', '\t'],
    ['name\nVelden, Old Town\n', ','],
  ])('guesses the delimiter of %j', (text, expected) => {
    expect(guessDelimiter(text)).toBe(expected);
  });

  it('takes a quote that is bare, or not at the end of its cell, as text', async () => {
    const { rows } = await read('a,b\n12" drum,2\n3,"x"y\n');
    expect(rows.map(({ cells }) => cells)).toEqual([
      ['12" drum', '2'],
      ['3', '"x"y'],
    ]);
  });

  it('says at which line a quote is left open', async () => {
    await expect(read('a,b\n1,2\n3,"xy\n')).rejects.toMatchObject({
      problems: [{ code: 'bad_csv', message: expect.stringContaining('Line 3') }],
    });
  });
});

describe('A1 a spreadsheet', () => {
  const sheet = async (rows: unknown[][]) => {
    const book = new exceljs.Workbook();
    const own = book.addWorksheet('First');
    for (const row of rows) own.addRow(row);
    book.addWorksheet('Second').addRow(['not read']);
    return Buffer.from(await book.xlsx.writeBuffer());
  };
  const read = async (bytes: Buffer) => {
    const file = await openCsv(Readable.from([bytes.subarray(0, 2), bytes.subarray(2)]));
    const rows: CsvRow[] = [];
    for await (const batch of file.rows) rows.push(...batch);
    return { header: file.header, rows };
  };

  it('is read like any file: days, numbers, results of formulas and errors as texts', async () => {
    const formula = { formula: 'A1+1', result: 7 };
    const bytes = await sheet([
      [],
      ['Name', 'On', 'At', 'Fee', 'Sum', 'Bad', 'Yes'],
      [
        ...['00017', new Date('2026-01-31T00:00:00Z'), new Date('2026-01-31T12:30:00Z'), 0.1 + 0.2],
        ...[formula, { error: '#N/A' }, true],
      ],
      [{ richText: [{ text: 'Vel' }, { text: 'den' }] }],
    ]);
    expect(await read(bytes)).toEqual({
      header: ['Name', 'On', 'At', 'Fee', 'Sum', 'Bad', 'Yes'],
      rows: [
        {
          cells: ['00017', '2026-01-31', '2026-01-31T12:30:00Z', '0.3', '7', '#N/A', 'true'],
          line: 3,
        },
        { cells: ['Velden', '', '', '', '', '', ''], line: 4 },
      ],
    });
  });

  it.each<[string, () => Promise<Buffer>, string]>([
    ['nothing in it', () => sheet([]), 'file_empty'],
    ['two heads of one name', () => sheet([['Name', 'name']]), 'header_twice'],
    ['a password', async () => Buffer.from([0xd0, 0xcf, 0x11, 0xe0, 1, 2]), 'sheet_older'],
    ['its end cut off', async () => (await sheet([['Name'], ['x']])).subarray(0, 200), ''],
  ])('is refused with %s', async (_, bytes, code) => {
    const failed = await read(await bytes()).then(
      () => null,
      (error: unknown) => (error as ProblemError).problems[0]?.code,
    );
    expect(failed).toMatch(code === '' ? /package_unreadable|file_empty/ : code);
  });
});
