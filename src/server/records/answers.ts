import { sourceOf, type WiredField } from '$lib/core/wiring/wired';
import { type Answer, type StandingAsk } from '$lib/core/entry/asks';
import { type Reader } from '$lib/core/entry/settle';
import { tableChoices } from '$lib/core/plan/choices';
import type { Field } from '$lib/core/plan/schema';
import { fail, problem, ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { type WiredForm } from '$lib/core/wiring/form';
import type { Database, Runner } from '../database/connection';
import { isAway } from '../database/errors';
import { wantedUntil } from '../database/wanted';
import { log } from '../log';
import { outsideReader, type OutsideReader } from './form-outside';
import { readChoices } from './choices';
import { readConfirmed } from './choices-confirmed';
import { readNamed } from './named';
import { readColumns } from './columns';
import { readRollups } from './rollup';

/** Answers an entry's asks from the database, on a pool or inside a transaction, and from systems outside. */
export function databaseReader(
  db: Database,
  runner: Runner,
  tables: House,
  form: WiredForm,
  wants: 'lists' | 'confirm' = 'lists',
  outside: OutsideReader = outsideReader(db, tables),
): Reader {
  return async (asks) => {
    const source = { db, runner, tables, form };
    const of = (kind: StandingAsk['kind']) => asks.filter((ask) => ask.kind === kind);
    const away = asks.filter(
      (ask) => sourceOf(fieldOfAsk(form, ask), ask.kind)?.from === 'outside',
    );
    const house = (kind: StandingAsk['kind']) => of(kind).filter((ask) => !away.includes(ask));
    const together = await Promise.all([
      answerLists(source, house('list'), wants),
      answerRecords(source, house('record')),
      answerKeys(source, of('key')),
      answerValues(source, house('value')),
      ...away.map(async (ask) => [await outside(ask, fieldOfAsk(form, ask))]),
    ]);
    return together.flat();
  };
}

/** What asks are answered from. */
export interface ReadingFrom {
  db: Database;
  runner: Runner;
  tables: House;
  form: WiredForm;
}

/** Reads lists: those of one field under the same narrowing values (in whatever rows) once. */
function answerLists(
  source: ReadingFrom,
  asks: readonly StandingAsk[],
  wants: 'lists' | 'confirm',
): Promise<Answer[]> {
  const { db, runner } = source;
  return grouped(source, asks, underSame, async (group, { field }) => {
    const choices =
      tableChoices(field) ?? fail('no_choices', { field: field.label }, 400, field.key);
    const tables = houseFor(source.tables, field);
    const wish = { choices, given: group[0].given };
    const currents = group.map((ask) => ask.current);
    return group.length === 1 && wants === 'lists'
      ? [await readChoices(db, runner, tables, { ...wish, current: group[0].current })]
      : readConfirmed(db, runner, tables, wish, currents, wants);
  });
}

/** Works aggregates out: those of one field (in whatever rows) together. */
function answerValues(source: ReadingFrom, asks: readonly StandingAsk[]): Promise<Answer[]> {
  const { db, runner, tables } = source;
  return grouped(source, asks, ofField, async (group, { field: { rollup, label, key } }, took) => {
    if (!rollup) return fail('no_choices', { field: label }, 400, key);
    const givens = group.map((ask) => ask.given);
    const values = await readRollups(db, runner, tables, rollup, givens);
    return values.map((value) => ({ value, took: took() }));
  });
}

/** Looks typed keys up: those of one field under the same narrowing values (in whatever rows) together. */
function answerKeys(source: ReadingFrom, asks: readonly StandingAsk[]): Promise<Answer[]> {
  const { db, runner, tables } = source;
  return grouped(source, asks, underSame, async (group, { field }, took) => {
    const choices =
      tableChoices(field) ?? fail('no_choices', { field: field.label }, 400, field.key);
    const keys = [...new Set(group.map((ask) => String(ask.current)))];
    const wish = { choices, given: group[0].given, keys };
    const found = await readNamed(db, runner, houseFor(tables, field), wish);
    return group.map(({ current }) => {
      const given = String(current);
      const named = found.get(given) ?? null;
      if (named !== 'ambiguous') return { named, took: took() };
      const table = tables.whole.get(choices.table)?.title ?? '';
      const column = choices.typedBy ?? 'this';
      return { failed: problem('ambiguous_match', { table, column, given }, field.key) };
    });
  });
}

/** Reads the columns of chosen records, those of one field (in whatever rows) together. */
function answerRecords(source: ReadingFrom, asks: readonly StandingAsk[]): Promise<Answer[]> {
  const { db, runner, tables } = source;
  return grouped(source, asks, ofField, async (group, { field, type, columns }, took) => {
    const table = type.kind === 'reference' ? type.table : '';
    const ids = [...new Set(group.map((ask) => Number(ask.current)))];
    const wish = { table, ids, paths: [...columns.keys()] };
    const found = await readColumns(db, runner, houseFor(tables, field), wish);
    return group.map(({ current }) => ({
      record: found.get(Number(current)) ?? null,
      took: took(),
    }));
  });
}

/** An answer without the name of the ask that it is to. */
type Answered = DistributedOmit<Answer>;
type DistributedOmit<A> = A extends Answer ? Omit<A, 'id'> : never;
type Group = readonly [StandingAsk, ...StandingAsk[]];

/** What a field offers is what the person sees, unless its designer says that it offers all to everyone. */
export function houseFor(tables: House, field: Field): House {
  return tableChoices(field)?.everyone === true ? tables.whole : tables;
}

/** Asks of one field. */
const ofField = ({ grid, field }: StandingAsk) => JSON.stringify([grid, field]);
/** Asks of one field under the same narrowing values. */
const underSame = ({ grid, field, given }: StandingAsk) => JSON.stringify([grid, field, given]);

/**
 * Answers asks group by group: `read` gives an answer to each ask of a group, in order; what fails fails for
 * the whole group. `took` says for how many milliseconds the group has been read so far.
 */
async function grouped(
  source: ReadingFrom,
  asks: readonly StandingAsk[],
  keyOf: (ask: StandingAsk) => string,
  read: (group: Group, wired: WiredField, took: () => number) => Promise<readonly Answered[]>,
): Promise<Answer[]> {
  const groups = new Map<string, [StandingAsk, ...StandingAsk[]]>();
  for (const ask of asks) {
    const key = keyOf(ask);
    const group = groups.get(key);
    if (group) group.push(ask);
    else groups.set(key, [ask]);
  }
  const answered = [...groups.values()].map(async (group): Promise<Answer[]> => {
    const began = performance.now();
    const took = () => Math.round((performance.now() - began) * 10) / 10;
    const [first] = group;
    const answers = await attempt(source, first, () =>
      read(group, fieldOfAsk(source.form, first), took),
    );
    return group.map((ask, i): Answer => {
      const answer = 'failed' in answers ? answers : (answers[i] ?? nothingFor(ask));
      return { ...answer, id: ask.id };
    });
  });
  return (await Promise.all(answered)).flat();
}

/** What goes wrong with a read is an answer too, unless the database is away or a transaction hangs on it. */
export async function attempt<T>(
  { runner, form }: ReadingFrom,
  ask: { id: string; field: string; grid?: string },
  read: () => Promise<T>,
): Promise<T | Extract<Answer, { failed: unknown }>> {
  try {
    return await read();
  } catch (error) {
    // In a transaction nothing goes on; what nobody waits for needs no answer.
    if (isAway(error) || runner.isTransaction || wantedUntil()?.aborted) throw error;
    if (error instanceof ProblemError && error.problems[0]) {
      if (error.status === 400) throw error;
      return { id: ask.id, failed: { ...error.problems[0], path: ask.field } };
    }
    log.error({ error, field: ask.field }, 'a read failed');
    const { label } = fieldOfAsk(form, ask).field;
    return { id: ask.id, failed: problem('read_failed', { label }, ask.field) };
  }
}

/** The answer where nothing can be offered, or worked out. */
export function nothingFor({ id, kind }: StandingAsk): Answer {
  if (kind === 'value') return { id, value: null };
  if (kind === 'key') return { id, named: null };
  return { id, choices: [], next: null, found: 0, more: false, current: null };
}

/** The field that an ask is about; fails with 400 where the plan has none of it. */
export function fieldOfAsk(form: WiredForm, ask: { field: string; grid?: string }): WiredField {
  const found = form.scopes.get(ask.grid ?? '')?.fields.get(ask.field);
  return found ?? fail('unknown_field', { field: ask.field }, 400, ask.field);
}
