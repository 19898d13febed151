import { awaitedBy } from '$lib/core/plan/source';
import { sourceOf, type WiredField } from '$lib/core/wiring/wired';
import { z } from 'zod';
import { askSchema, mostAsks, type Answer, type StandingAsk } from '$lib/core/entry/asks';
import { Entry } from '$lib/core/entry/entry';
import { rowStateSchema, stateShape } from '$lib/core/entry/filled';
import { settle, type Reader } from '$lib/core/entry/settle';
import type { PersonFacts } from '$lib/core/entry/person';
import { clockFrom } from '$lib/core/formula/clock';
import { askedHashesSchema } from '$lib/core/plan/asked-sheet';
import { type Plan } from '$lib/core/plan/schema';
import { tableChoices } from '$lib/core/plan/choices';
import { fail } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { checkValue } from '$lib/core/values/parse';
import type { Value } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';
import { sourceField } from '$lib/core/wiring/sources';
import type { Database } from '../database/connection';
import { failedOutside, readOutsideChoices } from './form-outside';
import { readChoices } from './choices';
import { askedForm } from './questions';
import { mostRows } from '$lib/core/entry/rows';
import { knownForm } from './wired';
import { attempt, databaseReader, fieldOfAsk, houseFor, nothingFor } from './answers';

/** What a screen sends when it needs to know something: its asks, and as much of the entry as they need. */
export const readSchema = z
  .strictObject({
    edition: z.number().int().min(1).optional(),
    /** The revision of the designer's draft. */
    draft: z.number().int().min(1).optional(),
    /** The questions that are asked, by section. */
    asked: askedHashesSchema.optional(),
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
  person: PersonFacts = {},
  /** From which tables are read; outside systems are asked, and noted, with the other. */
  reads: Database = db,
  /** Is told what was read, with what follows from it, and how it was answered. */
  told: (asks: readonly StandingAsk[], answers: readonly Answer[]) => void = () => {},
): Promise<Answer[]> {
  const form = knownForm((await askedForm(db, tables, plan, request)).plan, tables);
  for (const ask of request.asks) checkAsk(form, ask);
  const { values } = request;
  const state = values && { ...request, values };
  const around = { clock: clockFrom(() => new Date()), person };
  const read = databaseReader(db, reads.knex, tables, form);
  const reader: Reader = async (wanted) => {
    const answers = await read(wanted);
    told(wanted, answers);
    return answers;
  };
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
        .map(async ({ ask, full }) => {
          const listed = await list(db, tables, form, ask, full, reads);
          told([full], [listed]);
          return listed;
        }),
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
  if (kind === 'record') return false;
  const source = sourceOf(fieldOfAsk(form, place), kind);
  return awaitedBy(source, (field) => given[field]) !== null;
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
    kind === 'key' ? String(at ?? '') : kind === 'value' ? null : canonical(wiredField, at);
  return { id, kind, field, grid, row, given, current, cause };
}

/** Whether a page of a list is wanted as somebody looks through it, and not what follows from the values. */
function isListing({ search, after, limit, order, whole }: WireAsk): boolean {
  return [search, after, limit, order, whole].some((wish) => wish !== undefined);
}

/** Refuses an ask for what the plan does not have. */
function checkAsk(form: WiredForm, ask: WireAsk): void {
  const wired = fieldOfAsk(form, ask);
  const { field, columns } = wired;
  const source = sourceOf(wired, ask.kind);
  // Option lists are at hand everywhere, keys name records of tables only.
  const known =
    source !== null &&
    source.from !== 'options' &&
    (ask.kind !== 'key' || source.from === 'table') &&
    (ask.kind !== 'record' || columns.size > 0);
  if (!known) fail('no_choices', { field: field.label }, 400, field.key);
}

async function list(
  db: Database,
  tables: House,
  form: WiredForm,
  { search, after, limit, order, whole }: WireAsk,
  ask: StandingAsk,
  reads: Database,
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
  const wish = { choices, given, current, search, after, limit, order, whole };
  return attempt({ db, runner: reads.knex, tables, form }, ask, async () => {
    const seen = houseFor(tables, wiredField.field);
    return { id: ask.id, ...(await readChoices(reads, reads.knex, seen, wish)) };
  });
}

function canonical({ type, field }: WiredField, given: unknown): Value {
  const checked = checkValue(type, given, field.label);
  return 'value' in checked ? checked.value : null;
}
