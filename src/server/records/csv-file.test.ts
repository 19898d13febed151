import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import exceljs from 'exceljs';
import type { ProblemError } from '../../core/problems';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import yazl from 'yazl';
import fc from 'fast-check';
import { stringify } from 'csv-stringify/sync';
import { describe, expect, it, vi } from 'vitest';
import { guessDelimiter, openCsv, sheetsIn } from './csv-file';
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

  it('is read sheet by sheet, each by its place', async () => {
    const bytes = await sheet([['Name'], ['Viola']]);
    expect(await sheetsIn(Readable.from([bytes]))).toEqual(['First', 'Second']);
    const second = await openCsv(Readable.from([bytes]), undefined, 2);
    expect(second.header).toEqual(['not read']);
    await expect(openCsv(Readable.from([bytes]), undefined, 3)).rejects.toMatchObject({
      problems: [{ code: 'file_empty' }],
    });
    expect(await sheetsIn(Readable.from([Buffer.from('Name\nViola\n')]))).toBeNull();
  });

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

  it('has titles above its header, which stand alone over wider rows, and no others', async () => {
    const titled = [['Towns'], ['as of June'], ['Name', 'Region'], ['Velden', 'Inner Downs']];
    expect(await read(await sheet(titled))).toEqual({
      header: ['Name', 'Region'],
      rows: [{ cells: ['Velden', 'Inner Downs'], line: 4 }],
    });
    const single = [['Name'], ['Velden'], ['Oakhurst', 'a note'], ['Saltmere']];
    expect((await read(await sheet(single))).header).toEqual(['Name']);
    expect((await read(await sheet([['Name'], ['Velden']]))).rows).toHaveLength(1);
  });

  it('has its sheets in the order of its workbook, wherever and in which order their parts lie', async () => {
    const zip = new yazl.ZipFile();
    const cells = (text: string) =>
      `<worksheet><sheetData>${['Name', text]
        .map(
          (one, i) =>
            `<row r="${i + 1}"><c r="A${i + 1}" s="4" t="inlineStr"><is><t>${one}</t></is></c></row>`,
        )
        .join('')}</sheetData></worksheet>`;
    const parts = {
      'xl/worksheets/sheet1.xml': cells('Velden'),
      'xl/worksheets/sheet2.xml': cells('Oakhurst'),
      'xl/workbook.xml':
        '<workbook><sheets><sheet name="Late" sheetId="2" r:id="b"/><sheet name="Early" sheetId="1" r:id="a"/></sheets></workbook>',
      'xl/_rels/workbook.xml.rels':
        '<Relationships><Relationship Id="a" Target="worksheets/sheet1.xml"/><Relationship Id="b" Target="/xl/worksheets/sheet2.xml"/></Relationships>',
    };
    for (const [name, text] of Object.entries(parts)) zip.addBuffer(Buffer.from(text), name);
    zip.end();
    const bytes = await buffer(zip.outputStream as Readable);
    expect(await sheetsIn(Readable.from([bytes]))).toEqual(['Late', 'Early']);
    const { rows } = await openCsv(Readable.from([bytes]), undefined, 2);
    const found: string[][] = [];
    for await (const batch of rows) found.push(...batch.map((row) => row.cells));
    expect(found).toEqual([['Velden']]);
  });

  it('counts its days from whichever day it says', async () => {
    const book = new exceljs.Workbook();
    book.properties.date1904 = true;
    const own = book.addWorksheet('A');
    own.addRow(['On']);
    own.addRow([new Date('2026-01-31T00:00:00Z')]);
    const { rows } = await read(Buffer.from(await book.xlsx.writeBuffer()));
    expect(rows).toEqual([{ cells: ['2026-01-31'], line: 2 }]);
  });

  it.each([
    // Serial values as ECMA-376 (18.17.4.1) has them, with the day or time that they are.
    [false, 1, '1900-01-01'],
    [false, 59, '1900-02-28'],
    [false, 60, '1900-02-29'],
    [false, 61, '1900-03-01'],
    [false, 30.25, '1900-01-30T06:00:00Z'],
    [false, 2_958_465, '9999-12-31'],
    [false, 0, '00:00:00'],
    [false, 0.5, '12:00:00'],
    [false, 14.5 / 24, '14:30:00'],
    [false, 46_053 + 1 / 3, '2026-01-31T08:00:00Z'],
    [true, 0, '1904-01-01'],
    [true, 1, '1904-01-02'],
    [true, 0.75, '18:00:00'],
    [true, 44_591.5, '2026-01-31T12:00:00Z'],
  ])('reads days counted from 1904 on (%s), %s, as %s', async (date1904, serial, text) => {
    const book = new exceljs.Workbook();
    book.properties.date1904 = date1904;
    const own = book.addWorksheet('A');
    own.addRow(['On', 'Note']);
    own.addRow([serial, 'x']).getCell(1).numFmt = 'yyyy-mm-dd hh:mm';
    const { rows } = await read(Buffer.from(await book.xlsx.writeBuffer()));
    expect(rows).toEqual([{ cells: [text, 'x'], line: 2 }]);
  });

  it('is refused where a small file holds more than a spreadsheet can, and leaves nothing behind', async () => {
    const own = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-test-'));
    vi.stubEnv('TMPDIR', own);
    try {
      const bomb = Readable.from(
        (function* () {
          yield '<worksheet><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>';
          for (let i = 0; i < 40; i++) yield 'a'.repeat(64 * 1024);
          yield '</t></is></c></row></sheetData></worksheet>';
        })(),
      );
      const zip = new yazl.ZipFile();
      zip.addReadStream(bomb, 'xl/worksheets/sheet1.xml');
      zip.end();
      const bytes = await buffer(zip.outputStream as Readable);
      expect(bytes.length).toBeLessThan(20_000);
      const problems = [{ code: 'sheet_swollen' }];
      await expect(read(bytes)).rejects.toMatchObject({ problems });
      await expect(sheetsIn(Readable.from([bytes]))).rejects.toMatchObject({ problems });
      const twice = await sheet([
        ['Name', 'name'],
        ['Viola', 'Oboe'],
      ]);
      await expect(read(twice)).rejects.toMatchObject({ problems: [{ code: 'header_twice' }] });
      await read(await sheet([['Name'], ['Viola']]));
      expect(fs.readdirSync(own)).toEqual([]);
    } finally {
      vi.unstubAllEnvs();
      fs.rmSync(own, { recursive: true });
    }
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

describe('A1 a spreadsheet in the OpenDocument format', () => {
  const cell = (text: string, attributes = '') =>
    `<table:table-cell ${attributes}><text:p>${text}</text:p></table:table-cell>`;
  const row = (...cells: string[]) => `<table:table-row>${cells.join('')}</table:table-row>`;
  const ods = async (rows: string) => {
    const zip = new yazl.ZipFile();
    const type = 'application/vnd.oasis.opendocument.spreadsheet';
    zip.addBuffer(Buffer.from(type), 'mimetype', { compress: false });
    const sheets = `<table:table table:name="A">${rows}</table:table><table:table table:name="B">${row(cell('not read'))}</table:table>`;
    zip.addBuffer(
      Buffer.from(
        `<?xml version="1.0"?><office:document-content><office:body><office:spreadsheet>${sheets}</office:spreadsheet></office:body></office:document-content>`,
      ),
      'content.xml',
    );
    zip.end();
    return buffer(zip.outputStream as Readable);
  };
  const rowsIn = async (bytes: Buffer, size = bytes.length, sheet = 1) => {
    const pieces = Array.from({ length: Math.ceil(bytes.length / size) }, (_, i) =>
      bytes.subarray(i * size, (i + 1) * size),
    );
    const file = await openCsv(Readable.from(pieces), undefined, sheet);
    const rows: CsvRow[] = [];
    for await (const batch of file.rows) rows.push(...batch);
    return { header: file.header, rows };
  };
  const float = (value: string) =>
    cell('1.234,50 €', `office:value-type="float" office:value="${value}"`);
  const empty = '<table:table-cell table:number-columns-repeated="1020"/>';

  it('is read sheet by sheet, each by its place', async () => {
    const bytes = await ods(row(cell('Name')) + row(cell('Viola')));
    expect(await sheetsIn(Readable.from([bytes]))).toEqual(['A', 'B']);
    expect((await rowsIn(bytes, bytes.length, 2)).header).toEqual(['not read']);
  });

  it('leaves nothing behind, whether it can be read or not', async () => {
    const own = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-test-'));
    vi.stubEnv('TMPDIR', own);
    try {
      const twice = await ods(row(cell('Name'), cell('name')) + row(cell('Viola'), cell('Oboe')));
      await expect(rowsIn(twice)).rejects.toMatchObject({ problems: [{ code: 'header_twice' }] });
      await rowsIn(await ods(row(cell('Name')) + row(cell('Viola'))));
      expect(fs.readdirSync(own)).toEqual([]);
    } finally {
      vi.unstubAllEnvs();
      fs.rmSync(own, { recursive: true });
    }
  });

  it('comes in by what its cells hold: numbers, days, times, texts of several lines', async () => {
    const typed = (kind: string, value: string) =>
      cell('as shown', `office:value-type="${kind}" office:${kind}-value="${value}"`);
    const note = `<table:table-cell><office:annotation><text:p>a note</text:p></office:annotation><text:p>one<text:s text:c="2"/>&amp;</text:p><text:p>two<text:span> spans</text:span></text:p></table:table-cell>`;
    const bytes = await ods(
      [
        row(cell('Name'), cell('Fee'), cell('On'), cell('At'), cell('Yes'), empty),
        '<table:table-row table:number-rows-repeated="3"><table:table-cell/></table:table-row>',
        row(
          note,
          float('1234.5'),
          typed('date', '2026-03-01'),
          typed('time', 'PT09H05M00S'),
          typed('boolean', 'true'),
          empty,
        ),
        `<table:table-row table:number-rows-repeated="2">${float('7')}${typed('date', '1899-12-31T10:30:00')}</table:table-row>`,
        '<table:table-row table:number-rows-repeated="1048570"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>',
      ].join(''),
    );
    for (const size of [bytes.length, 7]) {
      const { header, rows } = await rowsIn(bytes, size);
      expect(header).toEqual(['Name', 'Fee', 'On', 'At', 'Yes']);
      expect(rows).toEqual([
        { line: 5, cells: ['one  &\ntwo spans', '1234.5', '2026-03-01', '09:05:00', 'true'] },
        { line: 6, cells: ['7', '1899-12-31T10:30:00Z', '', '', ''] },
        { line: 7, cells: ['7', '1899-12-31T10:30:00Z', '', '', ''] },
      ]);
    }
  });

  it('takes a cell that is repeated, and leaves out what merged cells cover', async () => {
    const bytes = await ods(
      row(cell('A'), cell('B'), cell('C')) +
        row(cell('x', 'table:number-columns-repeated="2"'), '<table:covered-table-cell/>', empty),
    );
    expect((await rowsIn(bytes)).rows).toEqual([{ line: 2, cells: ['x', 'x', ''] }]);
  });

  it('is refused where it is broken, or holds nothing', async () => {
    const code = (bytes: Buffer) =>
      rowsIn(bytes).then(
        () => 'read',
        (error: ProblemError) => error.problems[0]?.code,
      );
    expect(await code(await ods(''))).toBe('file_empty');
    const long = await ods(row(cell('Name')) + row(cell('a'.repeat(3 * 1024 * 1024))));
    expect(await code(long)).toBe('sheet_swollen');
    expect(await code(await ods(`${row(cell('A'))}<table:table-row>`))).toBe('package_unreadable');
    const whole = await ods(row(cell('A')) + row(cell('x')));
    expect(await code(whole.subarray(0, whole.length - 40))).toBe('package_unreadable');
  });
});
