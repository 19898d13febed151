import { problem, type Problem } from '$lib/core/problems';

/** What a call to our own server gives: the result, or the problems with their status. */
export type Called<T> =
  | { ok: true; value: T }
  | { ok: false; status: number; problems: Problem[]; body: Record<string, unknown> };

interface CallOptions {
  method?: 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';
  /** Sent as JSON. */
  body?: unknown;
  signal?: AbortSignal;
}

/** Calls our own server; a server that does not answer is a problem like any other. */
export async function call<T>(address: string, options: CallOptions = {}): Promise<Called<T>> {
  let response: Response;
  try {
    response = await fetch(address, {
      method: options.method ?? (options.body === undefined ? 'GET' : 'POST'),
      headers: options.body === undefined ? {} : { 'content-type': 'application/json' },
      body: options.body === undefined ? undefined : JSON.stringify(options.body),
      signal: options.signal,
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    return away();
  }
  return readResponse<T>(response);
}

/** Calls our own server and takes its answer line by line, as lines come (NDJSON). */
export async function callLines<T>(
  address: string,
  body: unknown,
  online: (line: T) => void,
): Promise<Called<void>> {
  let response: Response;
  try {
    response = await fetch(address, {
      method: 'POST',
      headers: { 'content-type': 'application/json', accept: 'application/x-ndjson' },
      body: JSON.stringify(body),
    });
    if (!response.ok || !response.body) return await readResponse<void>(response);
    await readLines(response.body, online);
    return { ok: true, value: undefined };
  } catch {
    return away();
  }
}

/** Sends a file and reads the answer line by line (NDJSON); the last line is the result. */
export async function sendFile<T>(
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
  if (!response.ok || !response.body) return readResponse<T>(response);
  let last: Record<string, unknown> = {};
  await readLines(response.body, (line: Record<string, unknown>) => {
    last = line;
    if (typeof last.rows === 'number') progress(last.rows);
  });
  if ('problems' in last) return failed(Number(last.status), last);
  return 'result' in last ? { ok: true, value: last.result as T } : away();
}

async function readLines<T>(
  body: ReadableStream<Uint8Array<ArrayBuffer>>,
  online: (line: T) => void,
): Promise<void> {
  const reader = body.pipeThrough(new TextDecoderStream()).getReader();
  let text = '';
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    text += part.value;
    const lines = text.split('\n');
    text = lines.pop() ?? '';
    for (const line of lines) online(JSON.parse(line) as T);
  }
}

async function readResponse<T>(response: Response): Promise<Called<T>> {
  if (response.status === 204) return { ok: true, value: undefined as T };
  let body: unknown;
  try {
    body = await response.json();
  } catch {
    return away();
  }
  if (response.ok) return { ok: true, value: body as T };
  return failed(response.status, body as Record<string, unknown>);
}

function failed(status: number, body: Record<string, unknown>): Called<never> {
  const problems = Array.isArray(body.problems) ? (body.problems as Problem[]) : [];
  if (problems.length === 0) return away();
  return { ok: false, status, problems, body };
}

function away(): Called<never> {
  return { ok: false, status: 503, problems: [problem('unreachable')], body: {} };
}
