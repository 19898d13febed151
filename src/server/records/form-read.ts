import { z } from 'zod';
import { askSchema, type Answer, type Ask } from '$lib/core/entry/asks';
import { Entry } from '$lib/core/entry/entry';
import { settle, type Reader } from '$lib/core/entry/settle';
import { tableChoices, type Field, type Plan } from '$lib/core/plan/schema';
import { fail, problem, ProblemError } from '$lib/core/problems';
import type { Tables } from '$lib/core/table/definition';
import { checkValue } from '$lib/core/values/parse';
import type { Value } from '$lib/core/values/types';
import { wireForm, type WiredForm } from '$lib/core/wiring/form';
import type { Database, Runner } from '../database/connection';
import { isAway } from '../database/errors';
import { log } from '../log';
import { readChoices, type ChoicesWish } from './choices';

/** What a screen sends when it needs to know something: the entry's values, and its asks. */
export const readSchema = z
  .strictObject({
    edition: z.number().int().min(1).optional(),
    /** The revision of the designer's draft. */
    draft: z.number().int().min(1).optional(),
    values: z.record(z.string(), z.unknown()),
    rows: z.record(z.string(), z.never()).default({}),
    asks: z.array(askSchema).max(1000),
  })
  .refine((r) => (r.edition === undefined) !== (r.draft === undefined), {
    message: 'either edition or draft',
  });
export type ReadRequest = z.infer<typeof readSchema>;

/**
 * Answers a screen's asks together with all that follows from them (a value that is cleared, a
 * single choice that is taken, the lists behind it), so that one change costs one request.
 */
export async function readForm(
  db: Database,
  tables: Tables,
  plan: Plan,
  request: Pick<ReadRequest, 'values' | 'asks'>,
): Promise<Answer[]> {
  const form = wireForm(plan, tables);
  for (const { field } of request.asks) {
    const wired = form.fields.get(field);
    if (!wired) fail('unknown_field', { field }, 400, field);
    else if (!tableChoices(wired.field))
      fail('no_choices', { field: wired.field.label }, 400, field);
  }
  const standing = request.asks.filter(
    (ask) => ask.search === undefined && ask.after === undefined,
  );
  const entry = Entry.resume(
    form,
    request.values,
    standing.map((ask) => ask.field),
  );
  const reader = databaseReader(db, db.knex, tables, form);
  const asked = new Map(entry.asks().map((ask) => [ask.field, ask.id]));
  const settled = await settle(entry, reader);
  const wished = new Map(
    request.asks.filter((ask) => !isListing(ask)).map((ask) => [asked.get(ask.field), ask.id]),
  );
  const answers = settled.map((answer) => ({ ...answer, id: wished.get(answer.id) ?? answer.id }));
  const listed = request.asks.filter((ask) => isListing(ask) || !asked.has(ask.field));
  const listings = await Promise.all(listed.map((ask) => list(db, tables, form, request, ask)));
  return [...answers, ...listings];
}

/** Answers an entry's asks from the database, on a pool or inside a transaction. */
export function databaseReader(
  db: Database,
  runner: Runner,
  tables: Tables,
  form: WiredForm,
): Reader {
  return (asks) =>
    Promise.all(
      asks.map((ask) => {
        const { given, current } = ask;
        return answer(db, runner, tables, form, ask, { given, current });
      }),
    );
}

function isListing(ask: Ask): boolean {
  return ask.search !== undefined || ask.after !== undefined || ask.limit !== undefined;
}

function list(
  db: Database,
  tables: Tables,
  form: WiredForm,
  { values }: Pick<ReadRequest, 'values'>,
  ask: Ask,
): Promise<Answer> {
  const wired = form.fields.get(ask.field);
  const given = Object.fromEntries(
    (wired?.narrowedBy ?? []).map((key) => [key, canonical(form, key, values[key])]),
  );
  const waits =
    wired &&
    tableChoices(wired.field)?.narrowings.find(
      (n) => n.whileEmpty === 'nothing' && given[n.field] === null,
    );
  if (waits) {
    const nothing = { choices: [], next: null, found: 0, more: false, current: null };
    return Promise.resolve({ id: ask.id, ...nothing });
  }
  const { search, after, limit } = ask;
  const current = canonical(form, ask.field, values[ask.field]);
  return answer(db, db.knex, tables, form, ask, { given, current, search, after, limit });
}

/** Reads one answer; what goes wrong with it is part of the answer, unless the database is away. */
async function answer(
  db: Database,
  runner: Runner,
  tables: Tables,
  form: WiredForm,
  ask: { id: string; field: string },
  wish: Omit<ChoicesWish, 'choices'>,
): Promise<Answer> {
  const field = form.fields.get(ask.field)?.field as Field;
  const choices = tableChoices(field);
  if (!choices) return fail('no_choices', { field: field.label }, 400, ask.field);
  try {
    return { id: ask.id, ...(await readChoices(db, runner, tables, { ...wish, choices })) };
  } catch (error) {
    if (isAway(error) || runner !== db.knex) throw error;
    if (error instanceof ProblemError && error.problems[0]) {
      if (error.status === 400) throw error;
      return { id: ask.id, failed: { ...error.problems[0], path: ask.field } };
    }
    log.error({ error, field: ask.field }, 'a read failed');
    return { id: ask.id, failed: problem('read_failed', { label: field.label }, ask.field) };
  }
}

function canonical(form: WiredForm, key: string, given: unknown): Value {
  const wired = form.fields.get(key);
  if (!wired) return null;
  const checked = checkValue(wired.type, given, wired.field.label);
  return 'value' in checked ? checked.value : null;
}
