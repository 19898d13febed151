import { z } from 'zod';
import { Entry } from '$lib/core/entry/entry';
import { settle } from '$lib/core/entry/settle';
import {
  changedThrough,
  throughBody,
  throughValues,
  type ThroughRecord,
} from '$lib/core/entry/through';
import { clockFrom } from '$lib/core/formula/clock';
import type { Query } from '$lib/core/outside/query';
import { rowsFrom } from '$lib/core/outside/rows';
import { addressFrom } from '$lib/core/outside/template';
import type { Plan, Through } from '$lib/core/plan/schema';
import { fail, problem, ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { valueSchema } from '$lib/core/values/types';
import { knownForm } from './wired';
import { databaseReader } from './answers';
import type { Database } from '../database/connection';
import { underLease } from '../database/lease';
import { askHttp, type HttpAnswer, type HttpSending } from '../outside/http';
import { reachSystem } from '../outside/system';
import { OutsideStatusError } from '../outside/told';

/** What a screen sends to write an outside record back. */
export const throughSchema = z.strictObject({
  key: z.string().min(1).max(200),
  /** Carried by each try, so that the system takes it once. */
  submission: z.string().regex(/^[A-Za-z0-9-]{8,64}$/),
  etag: z.string().max(200).nullable(),
  /** As the record was when it was read. */
  before: z.record(z.string().max(48), valueSchema),
  values: z.record(z.string().max(48), z.unknown()),
});
export type ThroughRequest = z.infer<typeof throughSchema>;

/** Another person has changed the outside record: it as it is now. */
export class ThroughConflictError extends ProblemError {
  constructor(
    system: string,
    readonly now: ThroughRecord,
  ) {
    super(problem('through_changed', { system }), 409);
    this.name = 'ThroughConflictError';
  }
}

/** Reads the outside record that a form passes through, as it is now. Fails where there is none. */
export async function openThrough(
  db: Database,
  tables: House,
  plan: Plan,
  key: string,
): Promise<ThroughRecord> {
  const { through, query } = passing(tables, plan);
  const parameter = query.parameters.find((one) => one.key === through.key);
  const { status, body, etag, system } = await reach(db, tables, query, query.text, {
    [through.key]: key,
  });
  if (status === 404) {
    return fail(
      'through_unknown',
      { system, parameter: parameter?.label ?? 'key', given: key },
      404,
    );
  }
  if (status >= 400) throw new OutsideStatusError(system, status);
  const row = rowsFrom(query, body)?.rows[0];
  if (!row)
    return fail(
      'through_unknown',
      { system, parameter: parameter?.label ?? 'key', given: key },
      404,
    );
  return { key, values: throughValues(through, row), etag };
}

/**
 * Writes an outside record back: what was changed, checked by the form's own rules, and only where the
 * record is still at the version that was seen. Nothing of it is kept here.
 */
export async function writeThrough(
  db: Database,
  tables: House,
  plan: Plan,
  request: ThroughRequest,
  person: string,
): Promise<ThroughRecord> {
  if (!passing(tables, plan).through.write) return fail('through_read_only', {}, 403);
  const { submission } = request;
  // The same submission, however often it comes, and at once, is told outside once.
  return underLease(db, `through ${submission}`, longestWrite, async () => {
    const told = () => db.knex('through_save').withSchema(db.catalog);
    if (await told().where({ submission, done: true }).first('submission')) {
      return openThrough(db, tables, plan, request.key);
    }
    const written = await writeOnce(db, tables, plan, request, person);
    const row = { submission, form_key: plan.table, person, done: true };
    await told().insert(row).onConflict('submission').merge({ done: true });
    return written;
  });
}

/** Another try of the same submission may take so long. Milliseconds. */
const longestWrite = 30_000;

async function writeOnce(
  db: Database,
  tables: House,
  plan: Plan,
  request: ThroughRequest,
  person: string,
): Promise<ThroughRecord> {
  const { through, query } = passing(tables, plan);
  const { write } = through;
  if (!write) return fail('through_read_only', {}, 403);
  const form = knownForm(plan, tables);
  const around = { clock: clockFrom(() => new Date()), person: { name: person } };
  const entry = new Entry(form, { mode: 'resumed', values: request.values, around });
  await settle(entry, databaseReader(db, db.knex, tables, form, 'confirm'));
  const problems = entry.problems();
  if (problems.length > 0) throw new ProblemError(problems);
  const changed = changedThrough(through, request.before, entry);
  if (changed.length === 0) return openThrough(db, tables, plan, request.key);
  const body = throughBody(through, query, changed, (field) => entry.value(field));
  const answer = await reach(
    db,
    tables,
    query,
    write.address || query.text,
    { [through.key]: request.key },
    {
      method: write.method,
      headers: {
        'idempotency-key': request.submission,
        ...(request.etag === null ? {} : { 'if-match': request.etag }),
      },
      body,
    },
  );
  if (answer.status === 412 || answer.status === 409) {
    const now = await openThrough(db, tables, plan, request.key);
    throw new ThroughConflictError(answer.system, now);
  }
  if (answer.status >= 400) {
    throw new OutsideStatusError(answer.system, answer.status);
  }
  return openThrough(db, tables, plan, request.key);
}

function passing(tables: House, plan: Plan): { through: Through; query: Query } {
  const { through } = plan;
  if (!through) return fail('through_none', {}, 404);
  const query = tables.queries.get(through.query);
  return query ? { through, query } : fail('unknown_query', { query: through.query }, 422);
}

async function reach(
  db: Database,
  tables: House,
  { key: query, connection, limit }: Query,
  address: string,
  values: Record<string, string>,
  sending?: HttpSending,
): Promise<HttpAnswer & { system: string }> {
  const { gave, system } = await reachSystem(
    db,
    tables,
    connection,
    { query, limit, again: sending === undefined },
    async (reached) => {
      const { reach, title } = reached.connection;
      if (reach.kind !== 'http') return fail('outside_takes_nothing', { system: title });
      const answer = await askHttp(
        reach,
        addressFrom(reach.base, address, values),
        reached,
        sending,
      );
      const { status } = answer;
      if (status >= 500) throw new OutsideStatusError(title, status);
      return answer;
    },
  );
  return { ...gave, system };
}
