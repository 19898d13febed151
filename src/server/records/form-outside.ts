import { type Answer, type Choice, type StandingAsk, pageSize } from '$lib/core/entry/asks';
import { pageFrom, writtenPage } from '$lib/core/outside/pages';
import type { OutsideRow, OutsideRows } from '$lib/core/outside/rows';
import type { Query } from '$lib/core/outside/query';
import type { Given, OutsideChoices } from '$lib/core/plan/choices';
import { systemTitle } from '$lib/core/plan/words';
import { fail, problem, ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { sameValue, type Value } from '$lib/core/values/types';
import type { WiredField } from '$lib/core/wiring/wired';
import type { Database } from '../database/connection';
import { log } from '../log';
import { askAllPages, askQuery } from '../outside/ask';

/** Answers what a field asks of an outside system. */
export type OutsideReader = (ask: StandingAsk, wired: WiredField) => Promise<Answer>;

/** Asks outside systems; a read that fails is an answer too. */
export function outsideReader(db: Database, tables: House): OutsideReader {
  return async (ask, wired) => {
    const read =
      ask.kind === 'value'
        ? readOutsideValue
        : ask.kind === 'record'
          ? readOutsideRecord
          : readOutsideChoices;
    try {
      return await read(db, tables, wired, ask);
    } catch (error) {
      return failedOutside(error, ask, wired);
    }
  };
}

/**
 * A reader that remembers what it was answered, and one that answers the same again without asking: for a
 * transaction, which waits for no system outside.
 */
export function rememberedOutside(
  db: Database,
  tables: House,
): { asks: OutsideReader; recalls: OutsideReader } {
  const read = outsideReader(db, tables);
  const answers = new Map<string, Promise<Answer>>();
  const nameOf = ({ kind, grid, field, given, current }: StandingAsk) =>
    JSON.stringify([kind, grid, field, given, current]);
  return {
    asks: async (ask, wired) => {
      const name = nameOf(ask);
      const answer = answers.get(name) ?? read(ask, wired);
      answers.set(name, answer);
      return { ...(await answer), id: ask.id };
    },
    recalls: async (ask, { field }) => {
      const answer = await answers.get(nameOf(ask));
      const failed = problem('read_failed', { label: field.label }, ask.field);
      return answer ? { ...answer, id: ask.id } : { id: ask.id, failed };
    },
  };
}

/** The answer to what nobody waits for: it is absent, and stops nothing. */
export function unanswered({ id, field: key }: StandingAsk, { field }: WiredField): Answer {
  return { id, failed: problem('read_failed', { label: field.label }, key) };
}

/** What went wrong with a read outside, as the answer to it. */
export function failedOutside(
  error: unknown,
  { id, field }: { id: string; field: string },
  wired: WiredField,
): Answer {
  if (error instanceof ProblemError && error.problems[0]) {
    return { id, failed: { ...error.problems[0], path: field } };
  }
  log.error({ err: error, field }, 'a from outside failed');
  return { id, failed: problem('read_failed', { label: wired.field.label }, field) };
}

/** Reads the value of a field outside: the named column of the first row; absent where there is none. */
async function readOutsideValue(
  db: Database,
  tables: House,
  { field }: WiredField,
  ask: Pick<StandingAsk, 'id' | 'given'>,
): Promise<Answer> {
  const { outside } = field;
  if (!outside) return fail('no_choices', { field: field.label }, 400, field.key);
  const query = queryOf(tables, outside.query);
  const answered = await askQuery(db, tables, query, parameters(outside.given, ask.given));
  refuseMisfit(tables, query, answered, outside.column);
  const { rows, at, took } = answered;
  return { id: ask.id, value: rows[0]?.[outside.column] ?? null, at, took };
}

/** Reads the choices of a field outside, with its current value confirmed. */
export async function readOutsideChoices(
  db: Database,
  tables: House,
  { field }: WiredField,
  ask: Pick<StandingAsk, 'id' | 'given' | 'current'>,
  listing: { search?: string | undefined; after?: string | undefined } = {},
): Promise<Answer> {
  const { choices } = field;
  if (choices?.kind !== 'outside')
    return fail('no_choices', { field: field.label }, 400, field.key);
  const query = queryOf(tables, choices.query);
  const search = listing.search?.trim() ?? '';
  const given = parameters(choices.given, ask.given);
  if (query.searches !== null && search !== '') given[query.searches] = search;
  // What the system cannot search is searched here, over all its pages.
  const here = query.searches === null && search !== '';
  const page = pageFrom(query, listing.after);
  const answered = await (here
    ? askAllPages(db, tables, query, given)
    : askQuery(db, tables, query, given, page));
  refuseMisfit(tables, query, answered, choices.stores);
  const rows = here ? answered.rows.filter(holds(choices, search)) : answered.rows;
  const { from } = page;
  const rest = from + pageSize < rows.length ? { ...page, from: from + pageSize } : null;
  const next = rest ?? (here ? null : answered.next);
  const current = await rowOf(db, tables, query, choices, ask, answered.rows);
  return {
    id: ask.id,
    choices: rows.slice(from, from + pageSize).map((row) => choiceOf(choices, row)),
    next: next && writtenPage(next),
    found: here ? rows.length : (answered.total ?? page.before + rows.length),
    more: answered.left > 0 || (answered.next !== null && answered.total === null),
    current: current && choiceOf(choices, current),
    at: answered.at,
    took: answered.took,
  };
}

/** Reads the columns that a chosen row brings along; `null` where there is no such row any more. */
async function readOutsideRecord(
  db: Database,
  tables: House,
  { field, columns }: WiredField,
  ask: Pick<StandingAsk, 'id' | 'given' | 'current'>,
): Promise<Answer> {
  const { choices } = field;
  if (choices?.kind !== 'outside')
    return fail('no_choices', { field: field.label }, 400, field.key);
  const query = queryOf(tables, choices.query);
  const { rows, at, took } = await askQuery(
    db,
    tables,
    query,
    parameters(choices.given, ask.given),
  );
  const row = await rowOf(db, tables, query, choices, ask, rows);
  const values =
    row && Object.fromEntries([...columns.keys()].map((key) => [key, row[key] ?? null]));
  return { id: ask.id, record: values, at, took };
}

/** Refuses an answer whose values for a column are not of its type any more: told, and not taken for none. */
function refuseMisfit(
  tables: House,
  { connection, columns }: Query,
  { misfits }: OutsideRows,
  column: string,
): void {
  const label = columns.find(({ key }) => key === column)?.label ?? column;
  if (!misfits.includes(label)) return;
  fail('outside_unreadable', { system: systemTitle(tables, connection), columns: label }, 502);
}

/**
 * The row of the current value. What was found by searching, or on a later page, need not be among the
 * rows at hand: it is searched for by itself, or looked for on all pages.
 */
async function rowOf(
  db: Database,
  tables: House,
  query: Query,
  choices: OutsideChoices,
  { given, current }: Pick<StandingAsk, 'given' | 'current'>,
  rows: readonly OutsideRow[],
): Promise<OutsideRow | null> {
  if (current === null) return null;
  const among = (some: readonly OutsideRow[]) =>
    some.find((row) => sameValue(row[choices.stores] ?? null, current)) ?? null;
  const found = among(rows);
  if (found) return found;
  const asked = parameters(choices.given, given);
  if (query.searches !== null) {
    const searched = { ...asked, [query.searches]: String(current) };
    return among((await askQuery(db, tables, query, searched)).rows);
  }
  return query.pages ? among((await askAllPages(db, tables, query, asked)).rows) : null;
}

function choiceOf({ stores, shown }: OutsideChoices, row: OutsideRow): Choice {
  const columns = shown.length > 0 ? shown : [stores];
  return { value: row[stores] ?? null, shown: columns.map((key) => row[key] ?? null) };
}

/** Whether all typed words begin words of the shown columns. */
function holds({ shown, stores }: OutsideChoices, search: string): (row: OutsideRow) => boolean {
  const wanted = wordsOf(search);
  const columns = shown.length > 0 ? shown : [stores];
  return (row) => {
    const words = columns.flatMap((key) => wordsOf(String(row[key] ?? '')));
    return wanted.every((word) => words.some((other) => other.startsWith(word)));
  };
}

function wordsOf(text: string): string[] {
  return text
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '');
}

/** What the parameters of a query are given: values of fields, as the plan says. */
function parameters(
  given: readonly Given[],
  values: Readonly<Record<string, Value>>,
): Record<string, Value> {
  return Object.fromEntries(
    given.map(({ parameter, field }) => [parameter, values[field] ?? null]),
  );
}

function queryOf(tables: House, key: string): Query {
  return tables.queries.get(key) ?? fail('unknown_query', { query: key }, 422);
}
