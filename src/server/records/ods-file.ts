import { Readable } from 'node:stream';
import { StringDecoder } from 'node:string_decoder';
import { SaxesParser, type SaxesTagPlain } from 'saxes';
import { fail } from '$lib/core/problems';
import { receiveZip } from '../zip-file';
import { sheetFrom, type CsvFile, type CsvRow } from './file-rows';

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

/** Opens the first sheet of one; its cells come as the texts of open formats, as those of other spreadsheets do. */
export async function openOds(bytes: Readable): Promise<CsvFile> {
  const zip = await receiveZip(Readable.toWeb(bytes) as ReadableStream<Uint8Array>);
  if (!zip.has('content.xml')) {
    await zip.end();
    return fail('package_unreadable', { reason: 'content.xml' }, 422, 'file');
  }
  async function* rows() {
    try {
      yield* rowsOf(await zip.open('content.xml'));
    } finally {
      await zip.end();
    }
  }
  return sheetFrom(rows());
}

async function* rowsOf(content: Readable): AsyncGenerator<CsvRow> {
  const reader = new SheetReader();
  const decoder = new StringDecoder('utf8');
  for await (const chunk of content) {
    reader.write(decoder.write(chunk as Buffer));
    yield* reader.take();
    if (reader.ended) return;
  }
  reader.write(decoder.end());
  yield* reader.take();
}

/** Reads the rows of the first table as the XML comes. */
class SheetReader {
  ended = false;
  readonly #parser = new SaxesParser();
  #rows: CsvRow[] = [];
  #line = 0;
  #cells: string[] | null = null;
  #repeatRow = 1;
  #cell: { value: string | null; text: string[]; repeat: number } | null = null;
  /** Whether signs that come belong to a paragraph of the cell, and not to a note beside it. */
  #paragraph = false;
  #noted = 0;
  #tables = 0;

  constructor() {
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
        this.#tables++;
        return;
      case 'table:table-row':
        if (this.#tables !== 1) return;
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
    else if (name === 'table:table') this.ended = true;
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
