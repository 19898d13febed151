import { Readable } from 'node:stream';
import exceljs from 'exceljs';
import { fail } from '$lib/core/problems';
import { receiveZip, type ReceivedZip } from '../zip-file';
import { inCells, sheetFrom, type CsvFile, type CsvRow } from './file-rows';

/** What a spreadsheet unpacks to at most, in bytes; and the texts of it that are kept in memory while it is read. */
const mostUnpacked = 4 * 1024 ** 3;
const mostStrings = 256 * 1024 ** 2;

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
  return sheetFrom(rowsOf(await received(bytes), place));
}

/** The names of the sheets of a spreadsheet, in the order of their places. */
export async function sheetNames(bytes: Readable): Promise<string[]> {
  const zip = await received(bytes);
  try {
    return sheetsOf(zip, await bookOf(zip)).map(({ name }) => name);
  } finally {
    await zip.end();
  }
}

/**
 * Receives a spreadsheet whole, and reads through what is packed in it: whoever parses it keeps its texts in memory, and
 * a small file can hold very many.
 */
async function received(bytes: Readable): Promise<ReceivedZip> {
  const zip = await receiveZip(Readable.toWeb(bytes) as ReadableStream<Uint8Array>);
  try {
    const parts = [...zip.sizes.keys()].filter((name) => /\.xml$/i.test(name));
    const sizes = parts.map((name) => zip.sizes.get(name) ?? 0);
    const strings = zip.sizes.get('xl/sharedStrings.xml') ?? 0;
    if (strings > mostStrings || sizes.reduce((sum, size) => sum + size, 0) > mostUnpacked) {
      fail('sheet_swollen', {}, 422, 'file');
    }
    for (const name of parts) {
      const chunks = inCells((await zip.open(name)) as AsyncIterable<Buffer>);
      while (!(await chunks.next()).done);
    }
    return zip;
  } catch (error) {
    await zip.end();
    throw error;
  }
}

/**
 * The library's reader of a workbook, by its single steps. It would read the parts of the zip in the order in which they
 * lie there, which need not be that in which they are needed.
 */
interface Book {
  model?: { sheets?: readonly { name: string; rId: string }[] };
  properties?: { model?: { date1904?: boolean } };
  sharedStrings?: unknown[];
  workbookRels?: readonly { Id: string; Target: string }[];
  _parseRels(part: Readable): Promise<void>;
  _parseWorkbook(part: Readable): Promise<void>;
  _parseStyles(part: Readable): Promise<void>;
  _parseSharedStrings(part: Readable): AsyncIterable<unknown>;
  _parseWorksheet(
    part: AsyncIterable<unknown>,
    place: number,
  ): Iterable<{ value: exceljs.stream.xlsx.WorksheetReader }>;
}

/** What a workbook says of all of its sheets: their names, its texts, how its cells are shown. */
async function bookOf(zip: ReceivedZip): Promise<Book> {
  const options = {
    ...{ entries: 'ignore', sharedStrings: 'cache', hyperlinks: 'ignore' },
    ...{ styles: 'cache', worksheets: 'emit' },
  } as const;
  const reader = new exceljs.stream.xlsx.WorkbookReader(
    Readable.from([]) as never,
    options as never,
  );
  const book = reader as unknown as Book;
  // What a workbook may leave out.
  const styles = { getStyleModel: () => undefined };
  Object.assign(book, { model: {}, properties: {}, sharedStrings: [], styles });
  const steps: [part: string, read: (part: Readable) => Promise<void>][] = [
    ['xl/_rels/workbook.xml.rels', (part) => book._parseRels(part)],
    ['xl/workbook.xml', (part) => book._parseWorkbook(part)],
    ['xl/styles.xml', (part) => book._parseStyles(part)],
    ['xl/sharedStrings.xml', (part) => passOver(book._parseSharedStrings(part))],
  ];
  for (const [part, read] of steps) if (zip.has(part)) await read(await zip.open(part));
  return book;
}

/** Reads what is given without taking anything of it. */
async function passOver(things: AsyncIterable<unknown>): Promise<void> {
  const each = things[Symbol.asyncIterator]();
  while (!(await each.next()).done);
}

/** The sheets of a workbook in its order, with the part of the zip in which each stands. */
function sheetsOf(zip: ReceivedZip, book: Book): { name: string; part: string }[] {
  const isSheetPart = (part: string) => /^xl\/worksheets\/[^/]+\.xml$/i.test(part) && zip.has(part);
  const named = (book.model?.sheets ?? []).flatMap(({ name, rId }) => {
    const target = book.workbookRels?.find(({ Id }) => Id === rId)?.Target ?? '';
    // From the root of the package, or from where the workbook stands (ECMA-376-2, part names).
    const part = target.startsWith('/') ? target.slice(1) : `xl/${target}`;
    return isSheetPart(part) ? [{ name, part }] : [];
  });
  if (named.length > 0) return named;
  return [...zip.sizes.keys()].filter(isSheetPart).map((part) => ({ name: '', part }));
}

async function* rowsOf(zip: ReceivedZip, place: number): AsyncGenerator<CsvRow> {
  try {
    const book = await bookOf(zip);
    const sheet = sheetsOf(zip, book)[place - 1];
    if (!sheet) return;
    const part = await zip.open(sheet.part);
    try {
      for (const { value: rows } of book._parseWorksheet(part, place)) yield* cellsOf(rows, book);
    } finally {
      part.destroy();
    }
  } finally {
    await zip.end();
  }
}

async function* cellsOf(
  rows: exceljs.stream.xlsx.WorksheetReader,
  { properties }: Book,
): AsyncGenerator<CsvRow> {
  const since1904 = properties?.model?.date1904 === true;
  for await (const row of rows) {
    const values = row.values as exceljs.CellValue[];
    const cells = Array.from({ length: Math.max(0, values.length - 1) }, (_, i) =>
      textOf(values[i + 1] ?? null, since1904),
    );
    if (cells.some((cell) => cell !== '')) yield { cells, line: row.number };
  }
}

function textOf(value: exceljs.CellValue, since1904: boolean): string {
  if (value === null || value === undefined) return '';
  if (value instanceof Date) return momentText(value, since1904);
  if (typeof value !== 'object') return plainText(value);
  if ('error' in value) return value.error;
  if ('richText' in value) return value.richText.map(({ text }) => text).join('');
  if ('text' in value) return String(value.text);
  return 'result' in value ? textOf(value.result ?? null, since1904) : '';
}

/** Milliseconds of a day; the day 0 of each way of counting days, in the days since 1970. */
const day = 86_400_000;
const [zeroOf1900, zeroOf1904] = [-25_569, -24_107];

/**
 * A cell with a date as ISO 8601 writes it: a day, a moment, or a time of day, which is less than one day. Where days
 * are counted from 1900 on, they are as ECMA-376 has it (18.17.4.1): that year has a 29th of February, which is
 * day 60, and the days before it are counted from the 1st of January.
 */
function momentText(value: Date, since1904: boolean): string {
  const at = Math.round(value.getTime() / 1000) * 1000;
  const count = at / day - (since1904 ? zeroOf1904 : zeroOf1900);
  const iso = (moved: number) => new Date(at + moved).toISOString();
  const time = iso(0).slice(11, 19);
  if (count >= (since1904 ? 1 / day : 0) && count < 1) return time;
  const early = !since1904 && count >= 1 && count < 60;
  const never = !since1904 && Math.floor(count) === 60;
  const date = never ? '1900-02-29' : iso(early ? day : 0).slice(0, 10);
  return time === '00:00:00' ? date : `${date}T${time}Z`;
}

/** A number as it was typed: what a float has behind it is cut off at 15 digits, as spreadsheets do. */
function plainText(value: string | number | boolean): string {
  return typeof value === 'number' ? String(Number(value.toPrecision(15))) : String(value);
}
