import { isUtf8 } from 'node:buffer';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { parse, CsvError, type Options, type Parser } from 'csv-parse';
import { parse as parseAtOnce } from 'csv-parse/sync';
import { fail, problem, ProblemError } from '$lib/core/problems';
import { refuseTwice, unreadable, type CsvFile, type CsvRow } from './file-rows';
import { isOds, odsHead, odsSheetNames, openOds } from './ods-file';
import { isSheet, openSheet, sheetNames } from './sheet-file';

const delimiters = [',', ';', '\t', '|'];
const headSize = 64 * 1024;
const longestRow = 64 * 1024 * 1024;
const batchSize = 500;
/** A file that stops coming is waited for so long. Milliseconds. */
const longestSilence = 30_000;

/**
 * Opens CSV as RFC 4180 writes it, with any common delimiter, UTF-8 with or without a byte order
 * mark; or a sheet of a spreadsheet, by its place. Fails with a problem where the file has no header, or cannot be read; the rows fail likewise
 * while they are read.
 */
export async function openCsv(
  body: ReadableStream<Uint8Array> | Readable,
  delimiter?: string,
  sheet = 1,
): Promise<CsvFile> {
  const source = body instanceof Readable ? body : Readable.fromWeb(body as never);
  const { head: first, all: bytes } = await peeked(source);
  if (isOds(first)) return openOds(bytes, sheet);
  if (isSheet(first)) return openSheet(bytes, sheet);
  const decoded = strictUtf8();
  // Whatever ends one of them ends all; it is told to whoever reads the last one.
  pipeline(bytes, patient(), decoded).catch(() => undefined);
  const chunks = decoded[Symbol.asyncIterator]() as AsyncIterator<string>;
  let head = '';
  try {
    while (head.length < headSize) {
      const next = await chunks.next();
      if (next.done) break;
      head += next.value;
    }
  } catch (error) {
    throw readable(error, 1);
  }
  if (head.trim() === '') return fail('file_empty', {}, 422, 'file');
  const chosen = delimiter ?? guessDelimiter(head);
  const text = Readable.from(withHead(head, chunks));
  const options: Options & { readableHighWaterMark: number } = {
    delimiter: chosen,
    relax_column_count: true,
    // A quote inside of a cell that does not begin with one is a part of its text.
    relax_quotes: true,
    max_record_size: longestRow,
    readableHighWaterMark: batchSize,
  };
  const parser = parse(options);
  pipeline(text, parser).catch(() => undefined);
  const batches = readBatches(parser);
  const begun = await batches.next();
  const [headerRow, ...rest] = begun.done ? [] : begun.value;
  if (!headerRow) return fail('file_empty', {}, 422, 'file');
  const header = headerRow.cells.map((name) => name.trim());
  refuseTwice(header);
  return { delimiter: chosen, header, rows: behindHeader(rest, batches) };
}

/** The names of the sheets of a spreadsheet; `null` of a file that has none. */
export async function sheetsIn(source: Readable): Promise<string[] | null> {
  const { head, all } = await peeked(source);
  try {
    if (isOds(head)) return await odsSheetNames(all);
    return isSheet(head) ? await sheetNames(all) : null;
  } catch (error) {
    return unreadable(error);
  } finally {
    all.destroy();
  }
}

/** The first bytes of a stream, and all of it. */
async function peeked(source: Readable): Promise<{ head: Buffer; all: Readable }> {
  const chunks = source[Symbol.asyncIterator]() as AsyncIterator<Buffer>;
  let head = Buffer.alloc(0);
  while (head.length < odsHead) {
    const next = await chunks.next();
    if (next.done) break;
    head = Buffer.concat([head, Buffer.from(next.value)]);
  }
  const begun = head;
  async function* whole() {
    if (begun.length > 0) yield begun;
    for (;;) {
      const next = await chunks.next();
      if (next.done) return;
      yield next.value;
    }
  }
  return { head, all: Readable.from(whole()) };
}

async function* behindHeader(
  rest: CsvRow[],
  batches: AsyncGenerator<CsvRow[]>,
): AsyncGenerator<CsvRow[]> {
  if (rest.length > 0) yield rest;
  yield* batches;
}

/** The delimiter that cuts the first rows into the most equal pieces. */
export function guessDelimiter(head: string): string {
  const lastBreak = head.lastIndexOf('\n');
  const whole = head.length >= headSize && lastBreak > 0 ? head.slice(0, lastBreak) : head;
  let best = { delimiter: ',', score: 0 };
  for (const delimiter of delimiters) {
    const score = evenness(whole, delimiter);
    if (score > best.score) best = { delimiter, score };
  }
  return best.delimiter;
}

function evenness(text: string, delimiter: string): number {
  try {
    const options = {
      delimiter,
      relax_column_count: true,
      relax_quotes: true,
      skip_empty_lines: true,
      to: 20,
    };
    const rows = parseAtOnce(text, options) as string[][];
    const width = rows[0]?.length ?? 0;
    if (width < 2) return 0;
    const even = rows.filter((row) => row.length === width).length;
    return (even / rows.length) * 1000 + width;
  } catch {
    return 0;
  }
}

/** Decodes strictly; what is no UTF-8 ends the stream with the line near which it stands. */
function strictUtf8(): Transform {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let line = 1;
  return new Transform({
    readableObjectMode: true,
    transform(chunk: Buffer, _encoding, done) {
      try {
        const text = decoder.decode(chunk, { stream: true });
        for (let at = text.indexOf('\n'); at !== -1; at = text.indexOf('\n', at + 1)) line++;
        done(null, text === '' ? undefined : text);
      } catch {
        done(new ProblemError(problem('not_utf8', { line: line + badLine(chunk) }, 'file')));
      }
    },
    flush(done) {
      try {
        decoder.decode();
        done();
      } catch {
        done(new ProblemError(problem('not_utf8', { line }, 'file')));
      }
    },
  });
}

/** How many lines of a chunk are sound before its first bad byte. */
function badLine(chunk: Buffer): number {
  const lines = chunk.toString('latin1').split('\n');
  const bad = lines.findIndex((line) => !isUtf8(Buffer.from(line, 'latin1')));
  return Math.max(0, bad);
}

async function* withHead(head: string, rest: AsyncIterator<string>): AsyncGenerator<string> {
  yield head;
  for (let next = await rest.next(); !next.done; next = await rest.next()) yield next.value;
}

/** Gathers rows into batches, as many as are there: one wait for many rows. Blank lines are passed over. */
async function* readBatches(parser: Parser): AsyncGenerator<CsvRow[]> {
  let line = 1;
  let ended = false;
  let failure: unknown = null;
  let wake = () => {};
  parser.on('readable', () => wake());
  parser.once('end', () => {
    ended = true;
    wake();
  });
  parser.on('error', (error) => {
    failure ??= error;
    wake();
  });
  try {
    for (;;) {
      const batch: CsvRow[] = [];
      while (batch.length < batchSize) {
        const cells = parser.read() as string[] | null;
        if (cells === null) break;
        if (cells.length > 1 || cells[0] !== '') batch.push({ cells, line });
        line += linesIn(cells);
      }
      if (batch.length > 0) yield batch;
      else if (failure) throw readable(failure, line);
      else if (ended) return;
      else if (parser.readableLength === 0) await new Promise<void>((done) => (wake = done));
    }
  } finally {
    // Who reads no further lets go of the file, too.
    parser.destroy();
  }
}

/** Lets bytes through as long as they come; a sender who falls silent is not waited for. */
function patient(): Transform {
  let timer: NodeJS.Timeout;
  const stream = new Transform({
    transform(chunk, _encoding, done) {
      wait();
      done(null, chunk);
    },
    destroy(error, done) {
      clearTimeout(timer);
      done(error);
    },
  });
  const wait = () => {
    clearTimeout(timer);
    timer = setTimeout(() => stream.destroy(slow()), longestSilence);
    timer.unref();
  };
  wait();
  return stream;
}

const slow = () => new ProblemError(problem('body_slow', {}, 'file'), 408);

/** The lines that a row takes in the file. */
function linesIn(cells: readonly string[]): number {
  let lines = 1;
  for (const cell of cells) {
    for (let at = cell.indexOf('\n'); at !== -1; at = cell.indexOf('\n', at + 1)) lines++;
  }
  return lines;
}

function readable(error: unknown, line: number): unknown {
  if (isAbort(error)) return new ProblemError(problem('file_cut_off', { line }, 'file'), 400);
  if (!(error instanceof CsvError)) return error;
  const reason = error.message.replace(/ at line \d+.*| on line \d+.*/, '');
  return new ProblemError(problem('bad_csv', { line, reason }, 'file'));
}

/** Whether a stream ended because whoever sent it has gone. */
function isAbort(error: unknown): boolean {
  const { code, name } = error as { code?: string; name?: string };
  return (
    ['ECONNRESET', 'ERR_STREAM_PREMATURE_CLOSE', 'ERR_STREAM_DESTROYED', 'ABORT_ERR'].includes(
      code ?? '',
    ) ||
    name === 'AbortError' ||
    (error instanceof Error && error.message === 'aborted')
  );
}
