import { Readable } from 'node:stream';
import exceljs from 'exceljs';
import { fail } from '$lib/core/problems';
import { sheetFrom, type CsvFile, type CsvRow } from './file-rows';

/** The first bytes of a zip, in which spreadsheets (ECMA-376) come; and of the files that came before, locked ones too. */
const zipMark = Buffer.from([0x50, 0x4b, 0x03, 0x04]);
const olderMark = Buffer.from([0xd0, 0xcf, 0x11, 0xe0]);

/** Whether a file that begins so is a spreadsheet; one that cannot be read is refused. */
export function isSheet(head: Buffer): boolean {
  if (head.subarray(0, 4).equals(olderMark)) return fail('sheet_older', {}, 422, 'file');
  return head.subarray(0, 4).equals(zipMark);
}

/**
 * Opens a sheet of a spreadsheet, by its place from 1 on: its first row that is not empty is the header. Cells come as
 * the texts of open formats: days as ISO 8601, formulas as what they gave, errors as they are shown.
 */
export async function openSheet(bytes: Readable, place: number): Promise<CsvFile> {
  return sheetFrom(rowsOf(bytes, place));
}

/** The names of the sheets of a spreadsheet, in the order of their places. */
export async function sheetNames(bytes: Readable): Promise<string[]> {
  const names: string[] = [];
  for await (const sheet of bookOf(bytes)) {
    names.push(String((sheet as { name?: unknown }).name ?? ''));
    await passOver(sheet);
  }
  return names;
}

/** Reads a sheet without taking anything of it, so that the next one comes. */
async function passOver(sheet: AsyncIterable<unknown>): Promise<void> {
  const rows = sheet[Symbol.asyncIterator]();
  while (!(await rows.next()).done);
}

function bookOf(bytes: Readable): exceljs.stream.xlsx.WorkbookReader {
  const options = {
    ...{ entries: 'ignore', sharedStrings: 'cache', hyperlinks: 'ignore' },
    ...{ styles: 'cache', worksheets: 'emit' },
  } as const;
  return new exceljs.stream.xlsx.WorkbookReader(bytes as never, options as never);
}

async function* rowsOf(bytes: Readable, place: number): AsyncGenerator<CsvRow> {
  let at = 0;
  for await (const sheet of bookOf(bytes)) {
    if (++at < place) {
      await passOver(sheet);
      continue;
    }
    for await (const row of sheet) {
      const values = row.values as exceljs.CellValue[];
      const cells = Array.from({ length: Math.max(0, values.length - 1) }, (_, i) =>
        textOf(values[i + 1] ?? null),
      );
      if (cells.some((cell) => cell !== '')) yield { cells, line: row.number };
    }
    return;
  }
}

function textOf(value: exceljs.CellValue): string {
  if (value === null || value === undefined) return '';
  if (value instanceof Date) {
    const iso = value.toISOString();
    return iso.endsWith('T00:00:00.000Z') ? iso.slice(0, 10) : `${iso.slice(0, 19)}Z`;
  }
  if (typeof value !== 'object') return plainText(value);
  if ('error' in value) return value.error;
  if ('richText' in value) return value.richText.map(({ text }) => text).join('');
  if ('text' in value) return String(value.text);
  return 'result' in value ? textOf(value.result ?? null) : '';
}

/** A number as it was typed: what a float has behind it is cut off at 15 digits, as spreadsheets do. */
function plainText(value: string | number | boolean): string {
  return typeof value === 'number' ? String(Number(value.toPrecision(15))) : String(value);
}
