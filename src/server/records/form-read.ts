import { z } from 'zod';
import {
  askSchema,
  mostAsks,
  type Answer,
  type Offer,
  type StandingAsk,
} from '$lib/core/entry/asks';
import { Entry } from '$lib/core/entry/entry';
import { rowStateSchema, stateShape } from '$lib/core/entry/filled';
import { settle, type Reader } from '$lib/core/entry/settle';
import { clockFrom } from '$lib/core/formula/clock';
import {
  askedChoices,
  askedValue,
  asksOutside,
  tableChoices,
  type Plan,
} from '$lib/core/plan/schema';
import { fail, problem, ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { checkValue } from '$lib/core/values/parse';
import type { Value } from '$lib/core/values/types';
import { wireForm, type WiredForm } from '$lib/core/wiring/form';
import type { WiredField } from '$lib/core/wiring/wired';
import { sourceField } from '$lib/core/wiring/sources';
import type { Database, Runner } from '../database/connection';
import { isAway } from '../database/errors';
import { log } from '../log';
import {
  failedOutside,
  outsideReader,
  readOutsideChoices,
  type OutsideReader,
} from './form-outside';
import { readChoices, readConfirmed } from './choices';
import { readNamed } from './named';
import { readFacts } from './facts';
import { mostRows } from './open';
import { readRollups } from './rollup';

/** What a screen sends when it needs to know something: its asks, and as much of the entry as they need. */
export const readSchema = z
  .strictObject({
    edition: z.number().int().min(1).optional(),
    /** The revision of the designer's draft. */
    draft: z.number().int().min(1).optional(),
    ...stateShape,
    /** Without values, only what is asked for is answered, and not what follows from it. */
    values: z.record(z.string(), z.unknown()).optional(),
    rows: z.record(z.string().max(48), z.array(rowStateSchema).max(mostRows)).optional(),
    asks: z.array(askSchema).max(mostAsks),
  })
  .refine((r) => (r.edition === undefined) !== (r.draft === undefined), {
    message: 'either edition or draft',
  });
export type ReadRequest = z.infer<typeof readSchema>;
type WireAsk = ReadRequest['asks'][number];

/** Plans wired before: a plan and the tables are made anew whenever one of them changes. */
const wired = new WeakMap<Plan, WeakMap<House, WiredForm>>();

/** The wired form of a plan over the tables, without wiring what was wired before. */
export function knownForm(plan: Plan, tables: House): WiredForm {
  const byTables = wired.get(plan) ?? new WeakMap<House, WiredForm>();
  wired.set(plan, byTables);
  const form = byTables.get(tables) ?? wireForm(plan, tables);
  byTables.set(tables, form);
  return form;
}

/**
 * Answers a screen's asks together with all that follows from them (a value that is cleared, a
 * record that is read, the lists behind it), so that one change costs one request. Every ask gets its
 * answer, whatever follows.
 */
export async function readForm(
  db: Database,
  tables: House,
  plan: Plan,
  request: Pick<ReadRequest, 'asks'> & Partial<ReadRequest>,
  person = '',
): Promise<Answer[]> {
  const form = knownForm(plan, tables);
  for (const ask of request.asks) checkAsk(form, ask);
  const { values } = request;
  const state = values && { ...request, values };
  const around = { clock: clockFrom(() => new Date()), person };
  const reader = databaseReader(db, db.knex, tables, form);
  // An ask that names no values is asked under those beside it.
  const bare = request.asks.some(({ given }) => given === undefined);
  const resting = bare && state ? Entry.resume(form, state, [], around) : undefined;
  const asks = request.asks.map((ask) => ({ ask, full: completed(form, ask, resting) }));
  const standing = asks.filter(({ ask }) => !isListing(ask)).map(({ full }) => full);
  const [answers, listings] = await Promise.all([
    answerAll(form, standing, reader),
    Promise.all(
      asks
        .filter(({ ask }) => isListing(ask))
        .map(({ ask, full }) => list(db, tables, form, ask, full)),
    ),
  ]);
  const further = state ? await followed(form, state, standing, answers, around, reader) : [];
  return [...answers, ...further, ...listings];
}

/** What follows from the answers to a screen's asks, with what is asked and answered on the way. */
async function followed(
  form: WiredForm,
  state: Parameters<typeof Entry.resume>[1],
  asks: readonly StandingAsk[],
  answers: readonly Answer[],
  around: Parameters<typeof Entry.resume>[3],
  reader: Reader,
): Promise<Answer[]> {
  if (asks.length === 0) return [];
  const entry = Entry.resume(form, state, asks, around);
  entry.answer(answers);
  return settle(entry, reader);
}

/** Answers asks; a list or value that waits for an empty field gives nothing. */
async function answerAll(
  form: WiredForm,
  asks: readonly StandingAsk[],
  reader: Reader,
): Promise<Answer[]> {
  const waiting = asks.filter((ask) => waitsFor(form, ask));
  const answers = await reader(asks.filter((ask) => !waiting.includes(ask)));
  return [...answers, ...waiting.map((ask) => nothingFor(ask))];
}

function waitsFor(form: WiredForm, { kind, given, ...place }: StandingAsk): boolean {
  const { field } = fieldOfAsk(form, place);
  const asked = kind === 'rollup' ? askedValue(field) : askedChoices(field);
  if (kind === 'facts' || !asked) return false;
  return asked.narrowings.some(
    (n) => n.whileEmpty === 'nothing' && (given[n.field] ?? null) === null,
  );
}

function nothingFor({ id, kind }: StandingAsk): Answer {
  if (kind === 'rollup') return { id, rolled: null };
  if (kind === 'key') return { id, named: null };
  return { id, choices: [], next: null, found: 0, more: false, current: null };
}

/** An ask with all that its answer depends on: as it says itself, or as the values beside it say. */
function completed(form: WiredForm, ask: WireAsk, resting: Entry | undefined): StandingAsk {
  const wiredField = fieldOfAsk(form, ask);
  const { id, kind, field, grid = '', row = null, cause = null } = ask;
  const rows = grid === '' ? undefined : resting?.rowsOf(grid);
  const host = rows?.get(row ?? '');
  const known = resting && (grid === '' || host) ? resting : undefined;
  const asked = ask.given ?? known?.given(field, host) ?? {};
  const given = Object.fromEntries(
    wiredField.narrowedBy.map((name) => {
      const source = sourceField(form.scopes, wiredField.scope, name);
      return [name, source ? canonical(source, asked[name]) : null];
    }),
  );
  const at = ask.current === undefined ? (known?.value(field, host) ?? null) : ask.current;
  const current =
    kind === 'key' ? String(at ?? '') : kind === 'rollup' ? null : canonical(wiredField, at);
  return { id, kind, field, grid, row, given, current, cause };
}

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
    const away = asks.filter((ask) => asksOutside(fieldOfAsk(form, ask).field));
    const house = (kind: StandingAsk['kind']) => of(kind).filter((ask) => !away.includes(ask));
    const together = await Promise.all([
      answerChoices(source, house('choices'), wants),
      answerFacts(source, house('facts')),
      answerKeys(source, of('key')),
      answerRollups(source, house('rollup')),
      ...away.map(async (ask) => [await outside(ask, fieldOfAsk(form, ask))]),
    ]);
    return together.flat();
  };
}

interface Source {
  db: Database;
  runner: Runner;
  tables: House;
  form: WiredForm;
}

/** Reads lists: those of one field under the same narrowing values (in whatever rows) once. */
async function answerChoices(
  source: Source,
  asks: readonly StandingAsk[],
  wants: 'lists' | 'confirm',
): Promise<Answer[]> {
  const groups = groupedBy(asks, ({ grid, field, given }) => JSON.stringify([grid, field, given]));
  const { db, runner, tables, form } = source;
  const answered = [...groups.values()].map(async (group): Promise<Answer[]> => {
    const [first] = group;
    if (!first) return [];
    const { field } = fieldOfAsk(form, first);
    const choices = tableChoices(field);
    if (!choices) return fail('no_choices', { field: field.label }, 400, field.key);
    const wish = { choices, given: first.given };
    const read = await attempt(source, first, async () => {
      const currents = group.map((ask) => ask.current);
      const offers =
        group.length === 1 && wants === 'lists'
          ? [await readChoices(db, runner, tables, { ...wish, current: first.current })]
          : await readConfirmed(db, runner, tables, wish, currents, wants);
      return group.map(({ id }, i): Answer => ({ ...(offers[i] as Omit<Offer, 'id'>), id }));
    });
    if (Array.isArray(read)) return read;
    return group.map(({ id }) => ({ ...read, id }));
  });
  return (await Promise.all(answered)).flat();
}

/** Works aggregates out: those of one field (in whatever rows) together. */
async function answerRollups(source: Source, asks: readonly StandingAsk[]): Promise<Answer[]> {
  const groups = groupedBy(asks, (ask) => fieldOfAsk(source.form, ask).field);
  const { db, runner, tables } = source;
  const answered = [...groups].map(async ([{ rollup, label, key }, group]): Promise<Answer[]> => {
    const [first] = group;
    if (!first) return [];
    if (!rollup) return fail('no_choices', { field: label }, 400, key);
    const began = performance.now();
    const read = await attempt(source, first, async () => {
      const givens = group.map((ask) => ask.given);
      const rolled = await readRollups(db, runner, tables, rollup, givens);
      const took = Math.round((performance.now() - began) * 10) / 10;
      return group.map(({ id }, i): Answer => ({ id, rolled: rolled[i] ?? null, took }));
    });
    if (Array.isArray(read)) return read;
    return group.map(({ id }) => ({ ...read, id }));
  });
  return (await Promise.all(answered)).flat();
}

/** Looks typed keys up: those of one field under the same narrowing values (in whatever rows) together. */
async function answerKeys(source: Source, asks: readonly StandingAsk[]): Promise<Answer[]> {
  const groups = groupedBy(asks, ({ grid, field, given }) => JSON.stringify([grid, field, given]));
  const { db, runner, tables, form } = source;
  const answered = [...groups.values()].map(async (group): Promise<Answer[]> => {
    const [first] = group;
    if (!first) return [];
    const began = performance.now();
    const { field } = fieldOfAsk(form, first);
    const choices = tableChoices(field);
    if (!choices) return fail('no_choices', { field: field.label }, 400, field.key);
    const keys = [...new Set(group.map((ask) => String(ask.current)))];
    const read = await attempt(source, first, async () => {
      const found = await readNamed(db, runner, tables, { choices, given: first.given, keys });
      const took = Math.round((performance.now() - began) * 10) / 10;
      return group.map(({ id, current }): Answer => {
        const given = String(current);
        const named = found.get(given) ?? null;
        if (named !== 'ambiguous') return { id, named, took };
        const table = tables.get(choices.table)?.title ?? '';
        const column = choices.typedBy ?? 'this';
        return { id, failed: problem('ambiguous_match', { table, column, given }, field.key) };
      });
    });
    if (Array.isArray(read)) return read;
    return group.map(({ id }) => ({ ...read, id }));
  });
  return (await Promise.all(answered)).flat();
}

/** Reads the columns of chosen records, those of one field (in whatever rows) together. */
async function answerFacts(source: Source, asks: readonly StandingAsk[]): Promise<Answer[]> {
  const groups = groupedBy(asks, (ask) => fieldOfAsk(source.form, ask));
  const { db, runner, tables } = source;
  const answered = [...groups].map(async ([{ type, facts }, group]): Promise<Answer[]> => {
    const began = performance.now();
    const table = type.kind === 'reference' ? type.table : '';
    const ids = [...new Set(group.map((ask) => Number(ask.current)))];
    const [first] = group;
    if (!first) return [];
    let failed: Answer | null = null;
    const read = await attempt(source, first, async () => {
      const wish = { table, ids, paths: [...facts.keys()] };
      const found = await readFacts(db, runner, tables, wish);
      const took = Math.round((performance.now() - began) * 10) / 10;
      return group.map((ask) => ({
        id: ask.id,
        facts: found.get(Number(ask.current)) ?? null,
        took,
      }));
    });
    if (Array.isArray(read)) return read;
    failed = read;
    return group.map((ask) => ({ ...failed, id: ask.id }) as Answer);
  });
  return (await Promise.all(answered)).flat();
}

/** What goes wrong with a read is an answer too, unless the database is away or a transaction hangs on it. */
async function attempt<T>(
  { db, runner, form }: Source,
  ask: { id: string; field: string; grid?: string },
  read: () => Promise<T>,
): Promise<T | Extract<Answer, { failed: unknown }>> {
  try {
    return await read();
  } catch (error) {
    if (isAway(error) || runner !== db.knex) throw error;
    if (error instanceof ProblemError && error.problems[0]) {
      if (error.status === 400) throw error;
      return { id: ask.id, failed: { ...error.problems[0], path: ask.field } };
    }
    log.error({ error, field: ask.field }, 'a read failed');
    const { label } = fieldOfAsk(form, ask).field;
    return { id: ask.id, failed: problem('read_failed', { label }, ask.field) };
  }
}

/** What has the same key, together, in the order in which it came. */
function groupedBy<T, K>(list: readonly T[], keyOf: (item: T) => K): Map<K, T[]> {
  const groups = new Map<K, T[]>();
  for (const item of list) {
    const key = keyOf(item);
    const group = groups.get(key);
    if (group) group.push(item);
    else groups.set(key, [item]);
  }
  return groups;
}

function isListing(ask: WireAsk): boolean {
  return ask.search !== undefined || ask.after !== undefined || ask.limit !== undefined;
}

/** Refuses an ask for what the plan does not have. */
function checkAsk(form: WiredForm, ask: WireAsk): void {
  const { field, facts } = fieldOfAsk(form, ask);
  const known = {
    choices: askedChoices(field) !== null,
    key: tableChoices(field) !== null,
    rollup: askedValue(field) !== null,
    facts: facts.size > 0,
  }[ask.kind];
  if (!known) fail('no_choices', { field: field.label }, 400, field.key);
}

function fieldOfAsk(form: WiredForm, ask: { field: string; grid?: string }): WiredField {
  const found = form.scopes.get(ask.grid ?? '')?.fields.get(ask.field);
  return found ?? fail('unknown_field', { field: ask.field }, 400, ask.field);
}

async function list(
  db: Database,
  tables: House,
  form: WiredForm,
  { search, after, limit, order }: WireAsk,
  ask: StandingAsk,
): Promise<Answer> {
  const wiredField = fieldOfAsk(form, ask);
  if (waitsFor(form, ask)) return nothingFor(ask);
  const { given, current } = ask;
  const choices = tableChoices(wiredField.field);
  if (!choices) {
    try {
      return await readOutsideChoices(db, tables, wiredField, ask, { search, after });
    } catch (error) {
      return failedOutside(error, ask, wiredField);
    }
  }
  const wish = { choices, given, current, search, after, limit, order };
  return attempt({ db, runner: db.knex, tables, form }, ask, async () => {
    return { id: ask.id, ...(await readChoices(db, db.knex, tables, wish)) };
  });
}

function canonical({ type, field }: WiredField, given: unknown): Value {
  const checked = checkValue(type, given, field.label);
  return 'value' in checked ? checked.value : null;
}
