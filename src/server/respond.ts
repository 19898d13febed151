import { say } from '$lib/core/words/say';
import { json, type RequestEvent } from '@sveltejs/kit';
import { z, ZodError, type ZodType } from 'zod';
import type { Answer } from '$lib/core/entry/asks';
import { reader } from '$lib/core/words/reader';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { whileWanted } from './database/wanted';
import { isAway, isDeadlock, isFull } from './database/errors';
import { parseOutsideJson } from '$lib/core/values/json';
import { inTime } from './in-time';
import { log } from './log';
import { ThroughConflictError } from './records/through';
import { ConflictError } from './records/conflicts';
import { RejectedError } from './records/import';
import { RejectedByKeyError } from './records/import-by-key';

/** JSON bodies are at most so large, in bytes. */
export const largestBody = 4 * 1024 * 1024;
/** A JSON body has so long to arrive. Milliseconds. */
const longestBody = 20_000;

/** Runs a server route; whatever goes wrong leaves as RFC 9457 problem details. */
export function answering<E extends RequestEvent>(
  work: (event: E) => Promise<Response | object>,
): (event: E) => Promise<Response> {
  return async (event) => {
    try {
      const result = await work(event);
      return result instanceof Response ? result : json(result);
    } catch (error) {
      const { status, problems } = problemsOf(error, event.locals.requestId);
      return problemDetails(status, problems, moreOf(error));
    }
  };
}

/** Answers line by line, as lines come (NDJSON); what nobody listens to any more is not said. */
export function answerLines(work: (say: (line: object) => void) => Promise<void>): Response {
  const encoder = new TextEncoder();
  let gone = false;
  const lines = new ReadableStream<Uint8Array>({
    async start(controller) {
      try {
        await work((line) => {
          if (!gone) controller.enqueue(encoder.encode(`${JSON.stringify(line)}\n`));
        });
        if (!gone) controller.close();
      } catch (error) {
        log.error({ err: error }, 'unexpected, while lines were told');
        if (!gone) controller.error(error);
      }
    },
    // The reader has gone; the work ends by itself.
    cancel: () => {
      gone = true;
    },
  });
  return new Response(lines, { headers: { 'content-type': linesType } });
}

const linesType = 'application/x-ndjson';

/**
 * Answers a search while whoever asks is there. A browser closes the connection of one that it does not want any more
 * (the next letter was typed): what the database reads for it is ended.
 */
export async function whileThere<T>(
  { platform }: Pick<RequestEvent, 'platform'>,
  work: () => Promise<T>,
): Promise<T | Response> {
  const socket = platform?.req.socket;
  if (!socket) return work();
  const gone = new AbortController();
  const end = () => gone.abort();
  socket.once('close', end);
  try {
    return await whileWanted(gone.signal, work);
  } catch (error) {
    if (!gone.signal.aborted) throw error;
    // Nobody hears it.
    return new Response(null, { status: 499 });
  } finally {
    // A connection serves many requests, one after the other.
    socket.removeListener('close', end);
  }
}

/**
 * Answers the asks of a screen: all together, or, where lines are accepted, each by itself as soon as its
 * answer is there, so that a slow system keeps no other answer waiting.
 */
export async function answerAsks<A extends { id: string }>(
  { request, locals }: RequestEvent,
  asks: readonly A[],
  read: (asks: A[]) => Promise<Answer[]>,
): Promise<Response | { answers: Answer[] }> {
  if (request.headers.get('accept') !== linesType) return { answers: await read([...asks]) };
  return answerLines(async (say) => {
    await Promise.all(
      asks.map(async (ask) => {
        try {
          say({ answers: await read([ask]) });
        } catch (error) {
          const [failed] = problemsOf(error, locals.requestId).problems;
          // Without an answer the screen asks again, once the database is back.
          if (failed && !isAway(error)) say({ answers: [{ id: ask.id, failed }] });
        }
      }),
    );
  });
}

/** What some errors carry besides their problems. */
function moreOf(error: unknown): object {
  if (error instanceof RejectedError || error instanceof RejectedByKeyError) {
    return { result: error.result };
  }
  if (error instanceof ThroughConflictError) return { now: error.now };
  if (!(error instanceof ConflictError)) return {};
  const { conflicts, now, shown } = error;
  return { conflicts, now, shown };
}

/** Status and problems of anything thrown; what nobody expected is logged. */
export function problemsOf(
  error: unknown,
  requestId: string,
): { status: number; problems: readonly Problem[] } {
  if (error instanceof ProblemError) return { status: error.status, problems: error.problems };
  if (error instanceof ZodError) return { status: 400, problems: [unreadable(error)] };
  if (isAway(error)) {
    log.warn({ requestId, error: String(error) }, 'the database is away');
    return { status: 503, problems: [problem('database_away')] };
  }
  if (isFull(error)) {
    log.error({ requestId, error: String(error) }, 'the disk of the database is full');
    return { status: 503, problems: [problem('disk_full')] };
  }
  if (isDeadlock(error)) {
    log.warn({ requestId, error: String(error) }, 'given up after many tries');
    return { status: 503, problems: [problem('busy')] };
  }
  log.error({ requestId, err: error }, 'unexpected');
  return { status: 500, problems: [problem('internal', { request: requestId })] };
}

/** A response as RFC 9457 has it. */
export function problemDetails(
  status: number,
  problems: readonly Problem[],
  more: object = {},
): Response {
  const title = problems.map((p) => p.message).join(' ');
  const body = { type: 'about:blank', title, status, problems, ...more };
  return new Response(JSON.stringify(body), {
    status,
    headers: { 'content-type': 'application/problem+json' },
  });
}

/** Reads a JSON body of bounded size as the schema says. */
export async function readBody<T>(request: Request, schema: ZodType<T>): Promise<T> {
  const text = await boundedText(request);
  let body: unknown;
  try {
    body = parseOutsideJson(text);
  } catch {
    return fail('not_json', {}, 400);
  }
  return parsed(schema, body);
}

const schemaWords = {
  en: z.locales.en().localeError,
  de: z.locales.de().localeError,
  fr: z.locales.fr().localeError,
};

/** Parses what came from outside; fails with 400 and the place of the first fault. */
export function parsed<T>(schema: ZodType<T>, given: unknown): T {
  const result = schema.safeParse(given, { error: schemaWords[reader().language] });
  if (result.success) return result.data;
  throw new ProblemError(unreadable(result.error), 400);
}

/** Parses JSON in a query parameter; `fallback` where it is absent. */
export function parsedParameter<T>(url: URL, name: string, schema: ZodType<T>, fallback: T): T {
  const text = url.searchParams.get(name);
  if (text === null || text === '') return fallback;
  try {
    return parsed(schema, parseOutsideJson(text));
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    return fail('bad_request', { reason: say(`“${name}” is not JSON`) }, 400);
  }
}

/** The columns that an address carries along for a new record: `with.loan=5`. */
export function carriedColumns(url: URL): Map<string, string> {
  const prefix = 'with.';
  return new Map(
    [...url.searchParams].flatMap(([name, value]) =>
      name.startsWith(prefix) ? [[name.slice(prefix.length), value] as const] : [],
    ),
  );
}

/** The carried columns in one steady spelling, by which a draft is found again. */
export function carriedText(url: URL): string {
  const carried = [...carriedColumns(url)].sort(([a], [b]) => (a < b ? -1 : 1));
  const named = carried.map(([key, value]) => [`with.${key}`, value]);
  return new URLSearchParams(named).toString().slice(0, 190);
}

/** A record id from an address; fails with 404. */
export function recordId(text: string, table: string): number {
  const id = Number(text);
  if (!Number.isSafeInteger(id) || id < 1) fail('unknown_record', { id: text, table }, 404);
  return id;
}

function unreadable(error: ZodError): Problem {
  const [issue] = error.issues;
  const place = issue?.path.join('.') ?? '';
  const reason = `${place === '' ? say('the body') : place}: ${issue?.message ?? say('not as expected')}`;
  return problem('bad_request', { reason }, place);
}

async function boundedText(request: Request): Promise<string> {
  const tooLarge = () => fail('too_large', { limit: say('4 MB') }, 413);
  if (Number(request.headers.get('content-length') ?? 0) > largestBody) tooLarge();
  if (!request.body) return '';
  const parts: Uint8Array[] = [];
  let size = 0;
  const end = Date.now() + longestBody;
  const reader = (request.body as ReadableStream<Uint8Array>).getReader();
  try {
    for (;;) {
      const next = await inTime(reader.read(), end - Date.now(), slow);
      if (next.done) return new TextDecoder().decode(Buffer.concat(parts));
      size += next.value.byteLength;
      if (size > largestBody) tooLarge();
      parts.push(next.value);
    }
  } catch (error) {
    // What comes no more, or was cut off, is not waited for.
    void reader.cancel().catch(() => undefined);
    if (error instanceof ProblemError) throw error;
    return fail('body_cut_off', {}, 400);
  }
}

const slow = () => new ProblemError(problem('body_slow'), 408);
