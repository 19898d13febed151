import type { Answer, Choice, StandingAsk } from '$lib/core/entry/asks';
import { pageSize } from '$lib/core/entry/asks';
import type { OutsideRow } from '$lib/core/outside/rows';
import type { Query } from '$lib/core/outside/query';
import type { Given, OutsideChoices } from '$lib/core/plan/schema';
import { fail } from '$lib/core/problems';
import type { Tables } from '$lib/core/table/definition';
import { sameValue, type Value } from '$lib/core/values/types';
import type { WiredField } from '$lib/core/wiring/form';
import type { Database } from '../database/connection';
import { askQuery, type Age, type Answered } from '../outside/ask';

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
  const answered = await askQuery(db, query, given, age);
  const found =
    query.searches !== null ? answered.rows : answered.rows.filter(holds(choices, search));
  const from = Number(listing.after ?? 0) || 0;
  const page = found.slice(from, from + pageSize);
  let current = confirmed(answered, choices, ask.current);
  if (!current && ask.current !== null && query.searches !== null) {
    // What was found by searching is on no page of the whole list: it is searched for by itself.
    const searched = { ...given, [query.searches]: String(ask.current) };
    current = confirmed(await askQuery(db, query, searched, age), choices, ask.current);
  }
  return {
    id: ask.id,
    choices: page.map((row) => choiceOf(choices, row)),
    next: from + pageSize < found.length ? String(from + pageSize) : null,
    found: found.length,
    more: answered.left > 0,
    current,
    at: answered.at,
    took: answered.took,
  };
}

function confirmed({ rows }: Answered, choices: OutsideChoices, current: Value): Choice | null {
  if (current === null) return null;
  const row = rows.find((one) => sameValue(one[choices.stores] ?? null, current));
  return row ? choiceOf(choices, row) : null;
}

function choiceOf({ stores, shown }: OutsideChoices, row: OutsideRow): Choice {
  const columns = shown.length > 0 ? shown : [stores];
  return { value: row[stores] ?? null, shown: columns.map((key) => row[key] ?? null) };
}

/** Whether all typed words begin words of the shown columns. */
function holds({ shown, stores }: OutsideChoices, search: string): (row: OutsideRow) => boolean {
  const words = search
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== '');
  const columns = shown.length > 0 ? shown : [stores];
  return (row) => {
    const parts = columns.flatMap((key) =>
      String(row[key] ?? '')
        .toLowerCase()
        .split(/[^\p{L}\p{N}]+/u),
    );
    return words.every((word) => parts.some((part) => part.startsWith(word)));
  };
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
