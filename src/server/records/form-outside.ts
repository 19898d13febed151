import type { Answer, Choice, StandingAsk } from '$lib/core/entry/asks';
import { pageSize } from '$lib/core/entry/asks';
import { pageFrom, writtenPage } from '$lib/core/outside/pages';
import type { OutsideRow } from '$lib/core/outside/rows';
import type { Query } from '$lib/core/outside/query';
import type { Given, OutsideChoices } from '$lib/core/plan/schema';
import { fail } from '$lib/core/problems';
import type { Tables } from '$lib/core/table/definition';
import { sameValue, type Value } from '$lib/core/values/types';
import type { WiredField } from '$lib/core/wiring/form';
import type { Database } from '../database/connection';
import { askAllPages, askQuery, type Age } from '../outside/ask';

/** Reads the value of a field outside: the named column of the first row; absent where there is none. */
export async function readOutsideValue(
  db: Database,
  tables: Tables,
  { field }: WiredField,
  ask: Pick<StandingAsk, 'id' | 'given'>,
  age: Age,
): Promise<Answer> {
  const { outside } = field;
  if (!outside) return fail('no_choices', { field: field.label }, 400, field.key);
  const query = queryOf(tables, outside.query);
  const { rows, at, took } = await askQuery(db, query, parameters(outside.given, ask.given), age);
  return { id: ask.id, rolled: rows[0]?.[outside.column] ?? null, at, took };
}

/** Reads the choices of a field outside, with its current value confirmed. */
export async function readOutsideChoices(
  db: Database,
  tables: Tables,
  { field }: WiredField,
  ask: Pick<StandingAsk, 'id' | 'given' | 'current'>,
  age: Age,
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
    ? askAllPages(db, query, given, age)
    : askQuery(db, query, given, age, page));
  const rows = here ? answered.rows.filter(holds(choices, search)) : answered.rows;
  const { from } = page;
  const rest = from + pageSize < rows.length ? { ...page, from: from + pageSize } : null;
  const next = rest ?? (here ? null : answered.next);
  const current = await rowOf(db, query, choices, ask, age, answered.rows);
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
export async function readOutsideFacts(
  db: Database,
  tables: Tables,
  { field, facts }: WiredField,
  ask: Pick<StandingAsk, 'id' | 'given' | 'current'>,
  age: Age,
): Promise<Answer> {
  const { choices } = field;
  if (choices?.kind !== 'outside')
    return fail('no_choices', { field: field.label }, 400, field.key);
  const query = queryOf(tables, choices.query);
  const { rows, at, took } = await askQuery(db, query, parameters(choices.given, ask.given), age);
  const row = await rowOf(db, query, choices, ask, age, rows);
  const values = row && Object.fromEntries([...facts.keys()].map((key) => [key, row[key] ?? null]));
  return { id: ask.id, facts: values, at, took };
}

/**
 * The row of the current value. What was found by searching, or on a later page, need not be among the
 * rows at hand: it is searched for by itself, or looked for on all pages.
 */
async function rowOf(
  db: Database,
  query: Query,
  choices: OutsideChoices,
  { given, current }: Pick<StandingAsk, 'given' | 'current'>,
  age: Age,
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
    return among((await askQuery(db, query, searched, age)).rows);
  }
  return query.pages ? among((await askAllPages(db, query, asked, age)).rows) : null;
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

function queryOf(tables: Tables, key: string): Query {
  return tables.queries?.get(key) ?? fail('unknown_query', { query: key }, 422);
}
