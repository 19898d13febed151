import { z } from 'zod';
import { problem, problemSchema, type Problem } from '$lib/core/problems';

/** What a call to our own server gives: the result, or the problems with their status. */
export type Called<T> =
  | { ok: true; value: T }
  | { ok: false; status: number; problems: Problem[]; body: Readonly<Record<string, unknown>> };

interface CallOptions {
  method?: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  /** Sent as JSON. */
  body?: unknown;
  signal?: AbortSignal;
}

/**
 * Calls our own server and reads what it answers by a schema of the contract; nothing (204) is read as `null`. A server
 * that does not answer, or answers something else, is a problem like any other.
 */
export async function call<T>(
  schema: z.ZodType<T>,
  address: string,
  options: CallOptions = {},
): Promise<Called<T>> {
  let response: Response;
  try {
    response = await fetch(address, {
      method: options.method ?? (options.body === undefined ? 'GET' : 'POST'),
      headers: options.body === undefined ? {} : { 'content-type': 'application/json' },
      body: options.body === undefined ? undefined : JSON.stringify(options.body),
      signal: options.signal,
    });
  } catch {
    // Also where the caller has given it up, and looks at no answer any more.
    return away();
  }
  return readResponse(schema, response);
}

/** Sends bytes to our own server, and reads what it answers like {@link call}. */
export async function sendBytes<T>(
  schema: z.ZodType<T>,
  address: string,
  body: Blob,
): Promise<Called<T>> {
  try {
    const headers = { 'content-type': 'application/octet-stream' };
    return await readResponse(schema, await fetch(address, { method: 'POST', headers, body }));
  } catch {
    return away();
  }
}

/** Calls our own server and takes its answer line by line, as lines come (NDJSON). */
export async function callLines<T>(
  schema: z.ZodType<T>,
  address: string,
  body: unknown,
  online: (line: T) => void,
): Promise<Called<null>> {
  let response: Response;
  try {
    response = await fetch(address, {
      method: 'POST',
      headers: { 'content-type': 'application/json', accept: 'application/x-ndjson' },
      body: JSON.stringify(body),
    });
    if (!response.ok || !response.body) return await readResponse(z.null(), response);
    let strange = false;
    await readLines(response.body, (line) => {
      const read = schema.safeParse(line);
      if (read.success) online(read.data);
      else strange = true;
    });
    return strange ? unreadable() : { ok: true, value: null };
  } catch {
    return away();
  }
}

/** Sends a file and reads the answer line by line (NDJSON); the last line is the result. */
export async function sendFile<T>(
  schema: z.ZodType<T>,
  address: string,
  file: Blob,
  progress: (rows: number) => void,
): Promise<Called<T>> {
  let response: Response;
  try {
    response = await fetch(address, {
      method: 'PUT',
      headers: { 'content-type': 'text/csv' },
      body: file,
    });
  } catch {
    return away();
  }
  return lastLine(schema, response, progress);
}

/** Asks our own server and reads its answer line by line (NDJSON); the last line is the result. */
export async function callResult<T>(
  schema: z.ZodType<T>,
  address: string,
  body: unknown,
  progress: (rows: number) => void,
): Promise<Called<T>> {
  let response: Response;
  try {
    response = await fetch(address, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  } catch {
    return away();
  }
  return lastLine(schema, response, progress);
}

async function lastLine<T>(
  schema: z.ZodType<T>,
  response: Response,
  progress: (rows: number) => void,
): Promise<Called<T>> {
  if (!response.ok || !response.body) return readResponse(schema, response);
  let last: unknown = null;
  await readLines(response.body, (line) => {
    last = line;
    const told = progressLine.safeParse(line);
    if (told.success) progress(told.data.rows);
  });
  const ended = resultLine.safeParse(last);
  if (ended.success) return read(schema, ended.data.result);
  const status = z.object({ status: z.number() }).safeParse(last);
  return status.success ? failed(status.data.status, last) : away();
}

const progressLine = z.object({ rows: z.number() });
const resultLine = z.object({ result: z.unknown(), problems: z.undefined().optional() });
const failedBody = z.looseObject({ problems: z.array(problemSchema).min(1) });

async function readLines(
  body: ReadableStream<Uint8Array<ArrayBuffer>>,
  online: (line: unknown) => void,
): Promise<void> {
  const reader = body.pipeThrough(new TextDecoderStream()).getReader();
  let text = '';
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    text += part.value;
    const lines = text.split('\n');
    text = lines.pop() ?? '';
    for (const line of lines) online(JSON.parse(line));
  }
}

async function readResponse<T>(schema: z.ZodType<T>, response: Response): Promise<Called<T>> {
  let body: unknown = null;
  try {
    if (response.status !== 204) body = await response.json();
  } catch {
    return away();
  }
  return response.ok ? read(schema, body) : failed(response.status, body);
}

function read<T>(schema: z.ZodType<T>, body: unknown): Called<T> {
  const parsed = schema.safeParse(body);
  return parsed.success ? { ok: true, value: parsed.data } : unreadable();
}

function failed(status: number, body: unknown): Called<never> {
  const told = failedBody.safeParse(body);
  return told.success
    ? { ok: false, status, problems: told.data.problems, body: told.data }
    : away();
}

function away(): Called<never> {
  return { ok: false, status: 503, problems: [problem('unreachable')], body: {} };
}

/** The server is of another version than the page. */
function unreadable(): Called<never> {
  return { ok: false, status: 502, problems: [problem('answer_unreadable')], body: {} };
}
