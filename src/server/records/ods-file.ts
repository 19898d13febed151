import { Readable } from 'node:stream';
import { StringDecoder } from 'node:string_decoder';
import { SaxesParser, type SaxesTagPlain } from 'saxes';
import { fail } from '$lib/core/problems';
import { receiveZip } from '../zip-file';
import { inCells, sheetFrom, type CsvFile, type CsvRow } from './file-rows';

/** How a spreadsheet in the OpenDocument format (ISO/IEC 26300) begins: its first entry says what it is. */
const mark = Buffer.from('mimetypeapplication/vnd.oasis.opendocument.spreadsheet');
const markAt = 30;
/** So many bytes of a file say whether it is one. */
export const odsHead = markAt + mark.length;

/** A row can have no more cells, and an empty one can be repeated as often as it likes. */
const mostCells = 16_384;
const mostRepeated = 1_048_576;
/** One row that is repeated fills no more cells. */
const mostFilled = 5_000_000;

/** Whether a file that begins so is such a spreadsheet. */
export function isOds(head: Buffer): boolean {
  return head.subarray(markAt, odsHead).equals(mark);
}

/** Opens a sheet of one, by its place; its cells come as the texts of open formats, as those of other spreadsheets do. */
export async function openOds(bytes: Readable, place: number): Promise<CsvFile> {
  return sheetFrom(rowsOf(await contentOf(bytes), new SheetReader(place)));
}

/** The names of the sheets of one, in the order of their places. */
export async function odsSheetNames(bytes: Readable): Promise<string[]> {
  const reader = new SheetReader(0);
  const rows = rowsOf(await contentOf(bytes), reader);
  while (!(await rows.next()).done);
  return reader.names;
}

/** The sheets of a file, as they come; the file is let go behind them. */
async function contentOf(bytes: Readable): Promise<AsyncGenerator<Buffer>> {
  const zip = await receiveZip(Readable.toWeb(bytes) as ReadableStream<Uint8Array>);
  if (!zip.has('content.xml')) {
    await zip.end();
    return fail('package_unreadable', { reason: 'content.xml' }, 422, 'file');
  }
  async function* content() {
    try {
      yield* inCells((await zip.open('content.xml')) as AsyncIterable<Buffer>);
    } finally {
      await zip.end();
    }
  }
  return content();
}

async function* rowsOf(
  content: AsyncGenerator<Buffer>,
  reader: SheetReader,
): AsyncGenerator<CsvRow> {
  const decoder = new StringDecoder('utf8');
  for await (const chunk of content) {
    reader.write(decoder.write(chunk));
    yield* reader.take();
    if (reader.ended) return;
  }
  reader.write(decoder.end());
  yield* reader.take();
}

/** Reads the rows of one table as the XML comes, and the names of those before it; of all where its place is 0. */
class SheetReader {
  ended = false;
  readonly names: string[] = [];
  readonly #place: number;
  readonly #parser = new SaxesParser();
  #rows: CsvRow[] = [];
  #line = 0;
  #cells: string[] | null = null;
  #repeatRow = 1;
  #cell: { value: string | null; text: string[]; repeat: number } | null = null;
  /** Whether signs that come belong to a paragraph of the cell, and not to a note beside it. */
  #paragraph = false;
  #noted = 0;

  constructor(place: number) {
    this.#place = place;
    this.#parser.on('opentag', (tag) => this.#open(tag));
    this.#parser.on('closetag', ({ name }) => this.#close(name));
    this.#parser.on('text', (text) => this.#say(text));
    this.#parser.on('error', (error) => {
      throw error;
    });
  }

  write(text: string): void {
    if (!this.ended) this.#parser.write(text);
  }

  take(): CsvRow[] {
    const rows = this.#rows;
    this.#rows = [];
    return rows;
  }

  #open({ name, attributes }: SaxesTagPlain): void {
    const repeated = (of: string, most: number) =>
      Math.min(most, Math.max(1, Number(attributes[`table:number-${of}-repeated`] ?? 1) || 1));
    switch (name) {
      case 'table:table':
        this.names.push(attributes['table:name'] ?? '');
        return;
      case 'table:table-row':
        if (this.names.length !== this.#place) return;
        this.#cells = [];
        this.#repeatRow = repeated('rows', mostRepeated);
        return;
      case 'table:table-cell':
      case 'table:covered-table-cell':
        this.#cell = {
          value: valueOf(attributes),
          text: [],
          repeat: repeated('columns', mostCells),
        };
        return;
      case 'office:annotation':
        this.#noted++;
        return;
      case 'text:p':
        this.#paragraph = this.#cell !== null && this.#noted === 0;
        if (this.#paragraph) this.#cell?.text.push('');
        return;
      case 'text:s':
        return this.#say(' '.repeat(Math.min(1000, Number(attributes['text:c'] ?? 1) || 1)));
      case 'text:tab':
        return this.#say('\t');
      case 'text:line-break':
        return this.#say('\n');
    }
  }

  #close(name: string): void {
    if (name === 'text:p') this.#paragraph = false;
    else if (name === 'office:annotation') this.#noted--;
    else if (name === 'table:table-cell' || name === 'table:covered-table-cell') this.#endCell();
    else if (name === 'table:table-row') this.#endRow();
    else if (name === 'table:table') this.ended = this.names.length === this.#place;
  }

  #say(text: string): void {
    const { text: lines = [] } = this.#cell ?? {};
    if (this.#paragraph) lines.push((lines.pop() ?? '') + text);
  }

  #endCell(): void {
    const { value, text, repeat } = this.#cell ?? { value: null, text: [], repeat: 0 };
    this.#cell = null;
    const room = mostCells - (this.#cells?.length ?? mostCells);
    for (let i = 0; i < Math.min(repeat, room); i++) this.#cells?.push(value ?? text.join('\n'));
  }

  #endRow(): void {
    const cells = this.#cells;
    if (!cells) return;
    this.#cells = null;
    while (cells.length > 0 && cells.at(-1) === '') cells.pop();
    if (cells.length * this.#repeatRow > mostFilled) throw new Error('a row is repeated too often');
    // Empty rows only count as lines.
    for (let i = 0; cells.length > 0 && i < this.#repeatRow; i++) {
      this.#rows.push({ cells, line: this.#line + 1 + i });
    }
    this.#line += this.#repeatRow;
  }
}

/** What a cell holds besides what it shows; `null` where it is only a text. */
function valueOf(attributes: Record<string, string>): string | null {
  switch (attributes['office:value-type']) {
    case 'float':
    case 'percentage':
    case 'currency':
      return attributes['office:value'] ?? null;
    case 'date': {
      const date = attributes['office:date-value'] ?? '';
      const [day = '', time = ''] = date.split('T');
      return time === '' || /^00:00:00(\.0*)?$/.test(time) ? day : `${day}T${time.slice(0, 8)}Z`;
    }
    case 'time': {
      const parts = /^PT(\d+)H(\d+)M(\d+)/.exec(attributes['office:time-value'] ?? '');
      if (!parts) return attributes['office:time-value'] ?? null;
      return parts
        .slice(1)
        .map((part) => part.padStart(2, '0'))
        .join(':');
    }
    case 'boolean':
      return attributes['office:boolean-value'] ?? null;
    default:
      return null;
  }
}
