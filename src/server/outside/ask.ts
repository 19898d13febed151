import { rowsFrom, type OutsideRows } from '$lib/core/outside/rows';
import type { Query } from '$lib/core/outside/query';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { checkValue } from '$lib/core/values/parse';
import type { Scalar } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { log } from '../log';
import { allowedHosts, connectionToAsk } from './connections';
import { pausedFor, noteFailure, noteSuccess } from './breaker';
import { askSystem, told } from './reach';

/** What a query gave, when it was asked, and how long that took. */
export interface Answered extends OutsideRows {
  /** When the system was asked, in UTC. */
  at: string;
  /** Milliseconds; 0 where the answer was kept. */
  took: number;
}

/** Which answers will do: one as old as the query allows, or any that is kept (while a save is under way). */
export type Age = 'as designed' | 'kept';

/** An answer is kept for saves at least so long, in milliseconds. */
const keptAtLeast = 3_600_000;
const mostKept = 500;

const kept = new Map<string, Answered>();
const onTheWay = new Map<string, Promise<Answered>>();

/** Asks a query, or takes the answer that is kept. Fails with a problem that says which system, and why. */
export async function askQuery(
  db: Database,
  query: Query,
  given: Readonly<Record<string, unknown>>,
  age: Age = 'as designed',
): Promise<Answered> {
  const values = parameterValues(query, given);
  const name = `${db.catalog} ${JSON.stringify([query, values])}`;
  const known = kept.get(name);
  const since = known ? Date.now() - Date.parse(known.at) : Infinity;
  const lasts = age === 'kept' ? keptAtLeast : query.keeps * 1000;
  if (known && since < lasts) return { ...known, took: 0 };
  if (age === 'kept') {
    const { connection } = await connectionToAsk(db, query.connection);
    return fail('outside_away', { system: connection.title }, 502);
  }
  const asked = onTheWay.get(name) ?? ask(db, query, values);
  onTheWay.set(name, asked);
  try {
    const answered = await asked;
    kept.delete(name);
    kept.set(name, answered);
    const [oldest] = kept.keys();
    if (kept.size > mostKept && oldest !== undefined) kept.delete(oldest);
    return answered;
  } finally {
    if (onTheWay.get(name) === asked) onTheWay.delete(name);
  }
}

/** Tries a query out: asked now, whatever is kept; gives the answer as it came beside its rows. */
export async function tryQuery(
  db: Database,
  query: Query,
  given: Readonly<Record<string, unknown>>,
): Promise<{ answer: unknown; rows: OutsideRows | null; took: number }> {
  const values = parameterValues(query, given);
  const { answer, took } = await asking(db, query, values);
  return { answer, rows: rowsFrom(query, answer), took };
}

async function ask(
  db: Database,
  query: Query,
  values: Readonly<Record<string, Scalar>>,
): Promise<Answered> {
  const { answer, took, system } = await asking(db, query, values);
  const rows = rowsFrom(query, answer);
  if (!rows) return fail('outside_no_rows', { system, place: query.rows || 'its top' }, 502);
  if (rows.misfits.length > 0) {
    log.warn({ query: query.key, columns: rows.misfits }, 'outside values are not of their type');
  }
  return { ...rows, at: new Date().toISOString(), took };
}

/** Asks, a second time where that may help; a system that fails again and again is left alone for a while. */
async function asking(
  db: Database,
  query: Query,
  values: Readonly<Record<string, Scalar>>,
): Promise<{ answer: unknown; took: number; system: string }> {
  const [{ connection, secret }, hosts] = await Promise.all([
    connectionToAsk(db, query.connection),
    allowedHosts(db),
  ]);
  const name = `${db.catalog} ${connection.key}`;
  const system = connection.title;
  const pause = pausedFor(name);
  if (pause > 0) fail('outside_paused', { system, seconds: Math.ceil(pause / 1000) }, 503);
  const began = performance.now();
  const took = () => Math.round(performance.now() - began);
  for (let tried = 1; ; tried++) {
    try {
      const answer = await askSystem(connection, query, values, { secret, hosts });
      noteSuccess(name);
      noteAsked(db, query, took(), null);
      return { answer, took: took(), system };
    } catch (error) {
      const found = told(error, system, query.limit);
      if (tried === 1 && mayHelp(found)) continue;
      if (isTheirs(found)) noteFailure(name);
      noteAsked(db, query, took(), found.problems[0]?.message ?? '');
      throw found;
    }
  }
}

/** Whether asking a second time may help: not where it was too slow, or where the question is wrong. */
function mayHelp({ problems: [first] }: ProblemError): boolean {
  if (first?.code === 'outside_status') return /status 5\d\d/.test(first.message);
  return first?.code === 'outside_away';
}

/** Whether a failure is the system's own, not that of the question. */
function isTheirs(error: ProblemError): boolean {
  const code = error.problems[0]?.code;
  return code === 'outside_slow' || code === 'outside_not_json' || mayHelp(error);
}

/** The values of a query's parameters; fails with each that is missing or wrong. */
function parameterValues(
  query: Query,
  given: Readonly<Record<string, unknown>>,
): Record<string, Scalar> {
  const problems: Problem[] = [];
  const values: Record<string, Scalar> = {};
  for (const { key, label, type, required } of query.parameters) {
    const checked = checkValue(type, given[key], label);
    if ('problem' in checked) {
      const details = { parameter: label, reason: checked.problem.message };
      problems.push(problem('parameter_bad', details, key));
    } else if (checked.value === null && required && key !== query.searches) {
      problems.push(
        problem('parameter_bad', { parameter: label, reason: 'nothing is given' }, key),
      );
    } else values[key] = checked.value as Scalar;
  }
  if (problems.length > 0) throw new ProblemError(problems, 422);
  return values;
}

/** So many askings of a connection are remembered. */
const mostNoted = 300;

/**
 * Notes how an asking went, for the page of the connection; never what was asked or answered. Nobody waits
 * for it.
 */
function noteAsked(db: Database, query: Query, took: number, failed: string | null): void {
  void writeAsked(db, query, took, failed).catch((error: unknown) => {
    log.warn({ err: error, query: query.key }, 'how a query went could not be noted');
  });
}

async function writeAsked(
  db: Database,
  query: Query,
  took: number,
  failed: string | null,
): Promise<void> {
  const asked = () => db.knex('outside_asked').withSchema(db.catalog);
  const of = { connection_key: query.connection };
  const [id] = await asked().insert({
    ...of,
    query_key: query.key,
    took,
    failed: failed?.slice(0, 400) ?? null,
  });
  if (Number(id) % 50 !== 0) return;
  const last = await asked().where(of).orderBy('id', 'desc').offset(mostNoted).first('id');
  if (last) await asked().where(of).where('id', '<=', last.id).delete();
}
