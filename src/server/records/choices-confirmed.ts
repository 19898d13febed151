import { rowsOf } from '../database/rows';
import type { Choice, Offer } from '$lib/core/entry/asks';
import { equalityOf } from './equality';
import type { House } from '$lib/core/table/definition';
import { idsOf, type Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { allOf } from './query';
import { toDatabase } from './values';
import { choiceOf, compileChoices, offeredWhere, type ChoicesWish } from './choices-compiled';
import { readChoices } from './choices';

/**
 * Confirms many values of one list at once: which are offered, and which only exist. For a screen the
 * first page of the list is read besides, once for all; a save wants to know of the values only.
 */
export async function readConfirmed(
  db: Database,
  runner: Runner,
  tables: House,
  wish: Pick<ChoicesWish, 'choices' | 'given'>,
  currents: readonly Value[],
  wants: 'lists' | 'confirm',
): Promise<Omit<Offer, 'id'>[]> {
  const list =
    wants === 'lists'
      ? await readChoices(db, runner, tables, { ...wish, current: null })
      : { choices: [], next: null, found: 1, more: false, current: null };
  const compiled = compileChoices(db, tables, wish);
  const { query, value, shown } = compiled;
  const isOffered = allOf(offeredWhere(compiled));
  const columns = [value, ...shown].map((e, i) => `${e.sql} as c${i}`).join(', ');
  const single = (current: Value): Value[] => {
    if (Array.isArray(current)) return [...idsOf(current)];
    return current === null ? [] : [current];
  };
  const wanted = [...new Set(currents.flatMap(single))];
  const known = new Map<Value, { choice: Choice; offered: boolean }>();
  for (let i = 0; i < wanted.length; i += 1000) {
    const part = wanted.slice(i, i + 1000).map((one) => toDatabase(value.type, one));
    const places = part.map(() => '?').join(', ');
    const sql = `select ${columns}, (${isOffered.sql}) as offered ${query.from()} where ${value.sql} in (${places})`;
    for (const row of await rowsOf(runner, sql, [...isOffered.bindings, ...part])) {
      const choice = choiceOf(row, value.type, shown);
      const offered = Number(row.offered) === 1 || known.get(choice.value)?.offered === true;
      known.set(choice.value, { choice, offered });
    }
  }
  const alike = await alikeIn(runner, known, wanted);
  return currents.map((current) => {
    if (Array.isArray(current)) {
      const found = idsOf(current).flatMap((id) => known.get(id) ?? []);
      const among = (offered: boolean) =>
        found.filter((one) => one.offered === offered).map(({ choice }) => choice);
      return { ...list, current: null, chosen: among(true), others: among(false) };
    }
    const found = known.get(current) ?? alike(current);
    if (!found) return { ...list, current: null };
    return found.offered
      ? { ...list, current: found.choice }
      : { ...list, current: null, known: found.choice };
  });
}

type Known = ReadonlyMap<Value, { choice: Choice; offered: boolean }>;

/** Finds what the database takes for the same text as a value that is not there letter by letter. */
async function alikeIn(
  runner: Runner,
  known: Known,
  wanted: readonly Value[],
): Promise<(text: Value) => { choice: Choice; offered: boolean } | undefined> {
  const texts = wanted.filter((one) => typeof one === 'string' && !known.has(one)) as string[];
  if (texts.length === 0) return () => undefined;
  const held = [...known].filter(([value]) => typeof value === 'string') as [
    string,
    { choice: Choice; offered: boolean },
  ][];
  const equality = await equalityOf(runner, [...texts, ...held.map(([value]) => value)]);
  const byKey = new Map(held.map(([value, one]) => [equality.key(value), one]));
  return (text) => {
    const same = typeof text === 'string' ? byKey.get(equality.key(text)) : undefined;
    return same && { ...same, choice: { ...same.choice, value: text } };
  };
}
