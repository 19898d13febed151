import { once } from 'node:events';
import { PassThrough, Readable } from 'node:stream';
import { stringify } from 'csv-stringify/sync';
import exceljs from 'exceljs';
import { fail } from '$lib/core/problems';
import type { Column, House, Table } from '$lib/core/table/definition';
import { packedText } from '$lib/core/formats/data-package';
import type { RecordRow } from '$lib/core/contract/answers';
import { idsOf, isLink, type Value, type ValueType } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { log } from '../log';
import { readRecords, type RecordsWish } from '../records/read';
import { oneAhead } from '../ahead';

/** How records are taken out. */
export const outFormats = ['csv', 'jsonl', 'xlsx'] as const;
export type OutFormat = (typeof outFormats)[number];

/** Whether a reference stands as the record that it names is shown, or as its number. */
export type References = 'names' | 'numbers';

export const mediaTypes: Record<OutFormat, string> = {
  csv: 'text/csv; charset=utf-8',
  jsonl: 'application/jsonl; charset=utf-8',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
};

interface OutWish extends Pick<RecordsWish, 'filter' | 'sort' | 'search'> {
  format: OutFormat;
  references: References;
  /** What is taken out of each record; all columns where it is left out. */
  columns?: readonly Column[];
}

const together = 1000;
/** A sheet has no more rows (ECMA-376), one of them for the heads. */
const mostSheetRows = 1_048_575;

/** The records of a table, or of a view of it, as a file: exactly those that whoever asks sees, as a stream. */
export function takeOut(db: Database, tables: House, table: Table, wish: OutWish): Readable {
  switch (wish.format) {
    case 'csv':
      return bytesOf(csv(db, tables, table, wish));
    case 'jsonl':
      return bytesOf(jsonLines(db, tables, table, wish));
    case 'xlsx':
      return sheet(db, tables, table, wish);
  }
}

/** Texts as the bytes of a stream: an answer takes nothing else. */
function bytesOf(texts: AsyncIterable<string>): Readable {
  return Readable.from(texts, { objectMode: false });
}

async function* pages(
  db: Database,
  tables: House,
  table: Table,
  { filter, sort, search }: OutWish,
): AsyncGenerator<RecordRow[]> {
  for (let after: string | undefined; ;) {
    const wish = { filter, sort, search, after, limit: together, counts: false };
    const page = await readRecords(db, tables, table, wish);
    yield page.records;
    if (page.next === null) return;
    after = page.next;
  }
}

async function* csv(
  db: Database,
  tables: House,
  table: Table,
  wish: OutWish,
): AsyncGenerator<string> {
  // With its byte order mark a spreadsheet reads it as UTF-8.
  yield `\uFEFF${stringify([columnsOf(table, wish).map(({ label }) => label)], { record_delimiter: '\r\n' })}`;
  for await (const page of oneAhead(pages(db, tables, table, wish))) {
    const rows = page.map((record) =>
      columnsOf(table, wish).map(({ key, type }) => textOf(record, key, type, wish.references)),
    );
    yield stringify(rows, { record_delimiter: '\r\n' });
  }
}

async function* jsonLines(
  db: Database,
  tables: House,
  table: Table,
  wish: OutWish,
): AsyncGenerator<string> {
  for await (const page of oneAhead(pages(db, tables, table, wish))) {
    const lines = page.map((record) => {
      const values = columnsOf(table, wish).map(({ key, type }): [string, unknown] => {
        const value = record.values[key] ?? null;
        const named = wish.references === 'names' && isLink(type) && value !== null;
        return [key, named ? namesOf(record, key, value) : value];
      });
      return `${JSON.stringify({ id: record.id, ...Object.fromEntries(values) })}\n`;
    });
    yield lines.join('');
  }
}

function sheet(db: Database, tables: House, table: Table, wish: OutWish): Readable {
  const stream = new PassThrough();
  const book = new exceljs.stream.xlsx.WorkbookWriter({ stream });
  const own = book.addWorksheet(table.title.replace(/[\\/?*[\]:]/g, ' ').slice(0, 31));
  own.columns = columnsOf(table, wish).map(({ key, label, type }) => ({
    ...{ key, header: label },
    style: { numFmt: styles[type.kind] ?? 'General' },
  }));
  const write = async () => {
    let rows = 0;
    for await (const page of oneAhead(pages(db, tables, table, wish))) {
      rows += page.length;
      if (rows > mostSheetRows) fail('sheet_too_long', { most: mostSheetRows });
      for (const record of page) {
        const cells = columnsOf(table, wish).map(({ key, type }) =>
          cellOf(record, key, type, wish.references),
        );
        own.addRow(cells).commit();
      }
      // Whoever takes it slowly is waited for.
      if (stream.writableNeedDrain) {
        await Promise.race([once(stream, 'drain'), once(stream, 'close')]);
      }
      if (stream.destroyed) return;
    }
    own.commit();
    await book.commit();
  };
  write().catch((error: unknown) => {
    log.warn({ err: error, table: table.key }, 'a table could not be taken out');
    stream.destroy(error as Error);
  });
  return stream;
}

const columnsOf = (table: Table, { columns }: OutWish) => columns ?? table.columns;

const styles: Partial<Record<ValueType['kind'], string>> = {
  date: 'yyyy-mm-dd',
  date_time: 'yyyy-mm-dd hh:mm',
};

/** The days before it have no number in a spreadsheet, or another one than the calendar has. */
const firstCounted = '1900-03-01';

/** A cell as a spreadsheet has it: numbers and days as such, everything else as text, formulas too. */
function cellOf(
  record: RecordRow,
  key: string,
  type: ValueType,
  references: References,
): string | number | boolean | Date | null {
  const value = record.values[key] ?? null;
  if (value === null) return null;
  switch (type.kind) {
    case 'whole':
      return Number(value);
    case 'decimal':
      // What a spreadsheet would round stays text.
      return String(value).replace(/\D/g, '').length <= 15 ? Number(value) : String(value);
    case 'yes_no':
      return value === true;
    case 'date':
    case 'date_time': {
      const at = String(value);
      // What spreadsheets do not count, or count otherwise, stays text.
      if (at < firstCounted) return at;
      return new Date(type.kind === 'date' ? `${at}T00:00:00Z` : at);
    }
    default:
      return textOf(record, key, type, references);
  }
}

function textOf(record: RecordRow, key: string, type: ValueType, references: References): string {
  const value = record.values[key] ?? null;
  if (value === null) return '';
  if (isLink(type) && references === 'names')
    return [namesOf(record, key, value)].flat().join('; ');
  if (type.kind === 'option') {
    return type.options.find((option) => option.value === value)?.label ?? String(value);
  }
  return packedText(value);
}

function namesOf(record: RecordRow, key: string, value: Value): string | string[] {
  if (typeof value === 'number') return record.shown[key] ?? String(value);
  return record.linked?.[key] ?? idsOf(value).map(String);
}
