import { say } from '$lib/core/words/say';
import { firstPage, nextPage, totalOf, type Page } from '$lib/core/outside/pages';
import { rowsFrom, type OutsideRows } from '$lib/core/outside/rows';
import { mostOutsideRows, type Query } from '$lib/core/outside/query';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { checkValue, parseText } from '$lib/core/values/parse';
import type { Scalar } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { log } from '../log';
import { connectionRevision } from './connections';
import { askSystem } from './reach';
import { reachSystem } from './system';

/** What a query gave, when it was asked, and how long that took. */
export interface Answered extends OutsideRows {
  /** When the system was asked, in UTC. */
  at: string;
  /** Milliseconds; 0 where the answer was kept. */
  took: number;
  /** The page behind it; `null` where that was all. */
  next: Page | null;
  /** How many rows there are in all, where the system says so. */
  total: number | null;
}

/** So many answers are kept. */
const mostKept = 500;

const kept = new Map<string, Answered>();
const onTheWay = new Map<string, Promise<Answered>>();

/**
 * Asks a query, or takes the answer that is kept; of one that answers in pages, the page that is wanted.
 * Fails with a problem that says which system, and why.
 */
export async function askQuery(
  db: Database,
  tables: House,
  query: Query,
  given: Readonly<Record<string, unknown>>,
  page: Page = firstPage(query),
): Promise<Answered> {
  const values = parameterValues(query, paged(query, given, page));
  // Another connection, or another one under the same name, may answer otherwise.
  const revision = await connectionRevision(db, tables, query.connection);
  const name = `${db.name} ${revision} ${JSON.stringify([query, values])}`;
  const known = kept.get(name);
  const since = known ? Date.now() - Date.parse(known.at) : Infinity;
  if (known && since < query.keeps * 1000) return { ...known, took: 0 };
  const asked = onTheWay.get(name) ?? ask(db, tables, query, values, page);
  onTheWay.set(name, asked);
  try {
    const answered = await asked;
    if (query.keeps === 0) return answered;
    kept.delete(name);
    kept.set(name, answered);
    const [oldest] = kept.keys();
    if (kept.size > mostKept && oldest !== undefined) kept.delete(oldest);
    return answered;
  } finally {
    if (onTheWay.get(name) === asked) onTheWay.delete(name);
  }
}

/** So many pages are walked through to find something in them. */
const mostPages = 40;

/** All rows that a query gives, over its pages, up to a bound. */
export async function askAllPages(
  db: Database,
  tables: House,
  query: Query,
  given: Readonly<Record<string, unknown>>,
): Promise<Answered> {
  const first = await askQuery(db, tables, query, given);
  const rows = [...first.rows];
  let last = first;
  for (let n = 1; last.next && n < mostPages && rows.length < mostOutsideRows; n++) {
    last = await askQuery(db, tables, query, given, last.next);
    rows.push(...last.rows);
  }
  return { ...first, rows, left: last.left, next: last.next };
}

/** Tries a query out: asked now, whatever is kept; gives the answer as it came beside its rows. */
export async function tryQuery(
  db: Database,
  tables: House,
  query: Query,
  given: Readonly<Record<string, unknown>>,
): Promise<{ answer: unknown; rows: OutsideRows | null; took: number }> {
  const values = parameterValues(query, paged(query, given, firstPage(query)));
  const { gave: answer, took } = await asking(db, tables, query, values);
  return { answer, rows: rowsFrom(query, answer), took };
}

async function ask(
  db: Database,
  tables: House,
  query: Query,
  values: Readonly<Record<string, Scalar>>,
  page: Page,
): Promise<Answered> {
  const { gave: answer, took, system } = await asking(db, tables, query, values);
  const rows = rowsFrom(query, answer);
  if (!rows) return fail('outside_no_rows', { system, place: query.rows || say('its top') }, 502);
  if (rows.misfits.length > 0) {
    log.warn({ query: query.key, columns: rows.misfits }, 'outside values are not of their type');
  }
  const next = nextPage(query.pages, page, answer, rows.rows.length + rows.left);
  const total = query.pages && totalOf(query.pages, answer);
  return { ...rows, at: new Date().toISOString(), took, next, total };
}

function asking(
  db: Database,
  tables: House,
  query: Query,
  values: Readonly<Record<string, Scalar>>,
) {
  const { connection, key, limit } = query;
  return reachSystem(db, tables, connection, { query: key, limit, again: true }, (reached) =>
    askSystem(reached, query, values),
  );
}

/** What the parameters are given, with the page that is wanted as its parameter takes it. */
function paged(
  { pages, parameters }: Query,
  given: Readonly<Record<string, unknown>>,
  { at }: Page,
): Readonly<Record<string, unknown>> {
  const parameter = parameters.find(({ key }) => key === pages?.parameter);
  if (!parameter) return given;
  const read = parseText(parameter.type, String(at ?? ''), parameter.label);
  return { ...given, [parameter.key]: 'value' in read ? read.value : at };
}

/** The values of a query's parameters; fails with each that is missing or wrong. */
function parameterValues(
  query: Query,
  given: Readonly<Record<string, unknown>>,
): Record<string, Scalar> {
  const problems: Problem[] = [];
  const values: Record<string, Scalar> = {};
  // What is typed, and the page, may be nothing.
  const unasked = new Set([query.searches, query.pages?.parameter]);
  for (const { key, label, type, required } of query.parameters) {
    const checked = checkValue(type, given[key], label);
    if ('problem' in checked) {
      const details = { parameter: label, reason: checked.problem.message };
      problems.push(problem('parameter_bad', details, key));
    } else if (checked.value === null && required && !unasked.has(key)) {
      problems.push(
        problem('parameter_bad', { parameter: label, reason: say('nothing is given') }, key),
      );
    } else values[key] = checked.value as Scalar;
  }
  if (problems.length > 0) throw new ProblemError(problems, 422);
  return values;
}
