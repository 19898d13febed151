import { Readable } from 'node:stream';
import { momentOf, storedMoment } from '../database/moments';
import { openedBeginning } from '$lib/core/entry/beginning';
import { broughtLive, driftOf, type BroughtNow, type Drift } from '$lib/core/entry/drift';
import { Entry } from '$lib/core/entry/entry';
import { settle, type Reader } from '$lib/core/entry/settle';
import type { Answer, StandingAsk } from '$lib/core/entry/asks';
import { clockFrom } from '$lib/core/formula/clock';
import type { Plan } from '$lib/core/plan/schema';
import { fail, ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import type { WiredForm } from '$lib/core/wiring/form';
import { loadDraft, loadEdition } from '../catalog/forms';
import { loadTables, revisionRead } from '../catalog/tables';
import { readingFrom } from '../database/replica';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import { takeLease } from '../database/lease';
import { rowsOf } from '../database/rows';
import { databaseReader } from '../records/answers';
import { readColumns } from '../records/columns';
import { unanswered } from '../records/form-outside';
import { openRecords } from '../records/open';
import { knownForm } from '../records/wired';

/** A run over the records of a form. */
export interface DriftRun {
  id: number;
  form: string;
  /** 0 for the draft. */
  edition: number;
  state: 'running' | 'stopped' | 'done' | 'failed';
  reason: string | null;
  judged: number;
  total: number;
  by: string;
  begunAt: string;
  endedAt: string | null;
}

/** So many records are opened, and judged, together. */
export const together = 100;

/** Some records of a run, with the plan that they are held against. */
export interface Page {
  run: number;
  plan: Plan;
  ids: readonly number[];
}

/** Whoever judges pages, and how many of them at once. */
export interface Judging {
  pages: number;
  judge: (page: Page) => Promise<Judged[]>;
  /** Called when all is judged, or it goes on no further. */
  end: () => Promise<void>;
}
/** The runs of a form whose findings are kept, and those that are remembered by their number of findings. */
const keptRuns = 3;
const rememberedRuns = 200;

/** Begins to hold the records of a form against its newest edition, or its draft; gives the run. */
export async function beginDrift(
  db: Database,
  formKey: string,
  against: 'edition' | 'draft',
  by: string,
): Promise<number> {
  const held = await (against === 'draft' ? loadDraft(db, formKey) : loadEdition(db, formKey));
  const { plan, edition } = held;
  if (plan.through) return fail('through_none', {}, 409);
  const house = await loadTables(db);
  if (!house.has(plan.table)) return fail('unknown_table', { table: plan.table }, 404);
  const current = await lastDrift(db, formKey);
  if (current?.state === 'running') return current.id;
  const [counted] = await rowsOf(db.knex, `select count(*) as n from ${tableSql(db, plan.table)}`);
  const begun = storedMoment(new Date());
  const [id] = await runs(db).insert({
    ...{ form_key: formKey, edition, state: 'running', by_person: by, begun_at: begun },
    total: Number(counted?.n ?? 0),
  });
  await forgetRuns(db, formKey);
  return Number(id);
}

/** Lets go of what older runs have found, and of the oldest altogether. */
async function forgetRuns(db: Database, form: string): Promise<void> {
  const all = (await runs(db).where({ form_key: form }).orderBy('id', 'desc').select('id')) as {
    id: number;
  }[];
  const ids = all.map(({ id }) => id);
  const found = db.knex('drift_found').withSchema(db.catalog);
  await found.whereIn('run', ids.slice(keptRuns)).delete();
  await runs(db).whereIn('id', ids.slice(rememberedRuns)).delete();
}

/** The newest run of a form; `null` where there was none. */
export async function lastDrift(db: Database, form: string): Promise<DriftRun | null> {
  const row = await runs(db).where({ form_key: form }).orderBy('id', 'desc').first();
  return row ? asRun(row) : null;
}

/** Ends a run where it is; what was found by then stands, and it can go on later. */
export async function stopDrift(db: Database, run: number): Promise<void> {
  await runs(db).where({ id: run, state: 'running' }).update({ state: 'stopped' });
}

/** Has a run that was stopped, or that ended with its server, go on. */
export async function goOnWithDrift(db: Database, run: number): Promise<void> {
  await runs(db)
    .whereIn('state', ['stopped', 'failed'])
    .where({ id: run })
    .update({ state: 'running', reason: null });
}

/** The runs that nobody works on though they should: their server has ended. */
export async function unfinishedDrifts(db: Database): Promise<number[]> {
  const rows = await runs(db).where({ state: 'running' }).select('id');
  return (rows as { id: number }[]).map(({ id }) => Number(id));
}

/**
 * Works on a run until all records are judged, or somebody stops it; in one process at a time. Page by page, what was
 * found and how far it has come are written together: a run that is cut off goes on where it was.
 */
export async function workOnDrift(
  db: Database,
  id: number,
  judging: (db: Database, run: DriftRun) => Judging = judgingHere,
): Promise<void> {
  const lease = await takeLease(db, `drift ${id}`);
  if (!lease) return;
  let work: Judging | null = null;
  try {
    const row = await runs(db).where({ id }).first();
    if (row?.state !== 'running') return;
    const run = asRun(row);
    const plan = await planOf(db, run);
    work = judging(db, run);
    const { pages, judge: judgePage } = work;
    const judged = Readable.from(idsFrom(db, plan.table, Number(row.at_record))).map(
      async (ids: number[]) => ({ ids, found: await judgePage({ run: id, plan, ids }) }),
      { concurrency: pages },
    );
    // In the order in which they came, however many were under way.
    for await (const { ids, found } of judged as AsyncIterable<{
      ids: number[];
      found: Judged[];
    }>) {
      const goesOn = await db.knex.transaction(async (trx) => {
        await lease.hold(trx);
        if (found.length > 0) {
          await trx('drift_found')
            .withSchema(db.catalog)
            .insert(found.map((one) => rowOf(id, one)));
        }
        const moved: unknown = await runs(db, trx)
          .where({ id, state: 'running' })
          .update({ at_record: ids.at(-1), judged: trx.raw('judged + ?', [ids.length]) });
        return Number(moved) > 0;
      });
      if (!goesOn) return;
    }
    await runs(db)
      .where({ id, state: 'running' })
      .update({ state: 'done', ended_at: db.knex.fn.now(3), unfit: unfitOf(db, run) });
  } catch (error) {
    const reason = String((error as Error).message).slice(0, 400);
    await runs(db).where({ id, state: 'running' }).update({ state: 'failed', reason });
  } finally {
    await work?.end();
    await lease.end();
  }
}

/** Judges in this thread, one page after the other. */
export function judgingHere(db: Database): Judging {
  let wired: Promise<WiredForm> | null = null;
  return {
    pages: 1,
    async judge({ plan, ids }) {
      wired ??= loadTables(db).then((house) => knownForm(plan, house));
      const form = await wired;
      const reads = await readingFrom(db, null, () => revisionRead(db));
      return judgeEach(ids, (some) => judge(reads, form.tables, form, some));
    },
    end: async () => {},
  };
}

/** The plan that a run holds records against. */
export async function planOf(
  db: Database,
  { form, edition }: Pick<DriftRun, 'form' | 'edition'>,
): Promise<Plan> {
  return (await (edition === 0 ? loadDraft(db, form) : loadEdition(db, form, edition))).plan;
}

/** Judges some records of a run anew, since they were changed: what was found of them before is forgotten. */
export async function judgeAnew(
  db: Database,
  run: DriftRun,
  roots: readonly number[],
): Promise<void> {
  const house = await loadTables(db);
  const form = knownForm(await planOf(db, run), house);
  for (let from = 0; from < roots.length; from += together) {
    const some = roots.slice(from, from + together);
    const found = await judgeEach(some, (ids) => judge(db, house, form, ids));
    await db.knex.transaction(async (trx) => {
      const founds = () => trx('drift_found').withSchema(db.catalog);
      await founds().where({ run: run.id }).whereIn('record', some).delete();
      if (found.length > 0) await founds().insert(found.map((one) => rowOf(run.id, one)));
    });
  }
  await countUnfit(db, db.knex, run);
}

/** What a finding `f` is, whatever run finds it: its place, its kind and the value that was found. */
export const findingSql = `unhex(sha2(concat_ws('\\n', f.grid, f.field, f.kind, f.message, f.value), 256))`;

/** SQL that joins what was left as it is, `l`, with findings `f`; binds their form. */
export const leftOn = `l.form_key = ? and l.row_record = f.row_record and l.finding = ${findingSql}`;

/** SQL that holds of a finding `f` that was left as it is; binds its form. */
export function leftSql(db: Database): string {
  return `exists (select 1 from \`${db.catalog}\`.drift_left l where ${leftOn})`;
}

/** SQL of how many records do not fit by a run, but for what is left as it is. */
function unfitOf(db: Database, { id, form }: DriftRun) {
  return db.knex.raw(
    `(select count(distinct f.record) from \`${db.catalog}\`.drift_found f
      where f.run = ? and not ${leftSql(db)})`,
    [id, form],
  );
}

/** Counts anew how many records do not fit by a run that has ended. */
export async function countUnfit(db: Database, runner: Runner, run: DriftRun): Promise<void> {
  await runs(db, runner)
    .where({ id: run.id, state: 'done' })
    .update({ unfit: unfitOf(db, run) });
}

/** What does not fit, with the record of the form in which it was found. */
export type Judged = Drift & { root: number };

/** Judges records together; where that cannot be done, one by one, and tells which of them cannot be opened. */
export async function judgeEach(
  ids: readonly number[],
  judging: (ids: readonly number[]) => Promise<Judged[]>,
): Promise<Judged[]> {
  const found = await judging(ids).catch((error: unknown) => {
    if (error instanceof ProblemError) return error;
    throw error;
  });
  if (!(found instanceof ProblemError)) return found;
  const [first] = ids;
  if (ids.length === 1 && first !== undefined) {
    const { message } = found;
    const at = { root: first, record: first, grid: '', field: '' };
    return [{ ...at, kind: 'unreadable', message, value: null, now: undefined }];
  }
  const all: Judged[] = [];
  for (const id of ids) all.push(...(await judgeEach([id], judging)));
  return all;
}

/** What does not fit of some records, each with the record of the form in which it was found. */
export async function judge(
  db: Database,
  house: House,
  form: WiredForm,
  ids: readonly number[],
): Promise<Judged[]> {
  const entries = await settledEntries(db, house, form, ids, '');
  const brought = await readBrought(
    db,
    house,
    entries.map(({ entry }) => entry),
  );
  return entries.flatMap(({ root, entry }) =>
    driftOf(entry, brought).map((drift) => ({ ...drift, root })),
  );
}

/** Some records, each opened by the form and settled, as the person of the name sees them; nothing outside is asked. */
export async function settledEntries(
  db: Database,
  house: House,
  form: WiredForm,
  ids: readonly number[],
  name: string,
): Promise<{ root: number; entry: Entry }[]> {
  const opened = await openRecords(db, db.knex, house, form, ids);
  const around = { clock: clockFrom(() => new Date()), person: { name }, link: {} };
  const reader = gathered(
    databaseReader(db, db.knex, house, form, 'confirm', async (ask, wired) =>
      unanswered(ask, wired),
    ),
  );
  return Promise.all(
    [...opened].map(async ([root, record]) => {
      const entry = new Entry(form, { ...openedBeginning(record), around });
      await settle(entry, reader);
      return { root, entry };
    }),
  );
}

/** Asks of many entries, answered together: those that come in one turn make one question. */
function gathered(reader: Reader): Reader {
  let waiting: {
    asks: readonly StandingAsk[];
    done: (answers: Answer[]) => void;
    failed: (error: unknown) => void;
  }[] = [];
  const flush = () => {
    const now = waiting;
    waiting = [];
    const named = now.flatMap(({ asks }, i) =>
      asks.map((ask) => ({ ...ask, id: `${i} ${ask.id}` })),
    );
    reader(named).then(
      (answers) => {
        const own: Answer[][] = now.map(() => []);
        for (const answer of answers) {
          const cut = answer.id.indexOf(' ');
          own[Number(answer.id.slice(0, cut))]?.push({ ...answer, id: answer.id.slice(cut + 1) });
        }
        now.forEach(({ done }, i) => done(own[i] ?? []));
      },
      (error: unknown) => now.forEach(({ failed }) => failed(error)),
    );
  };
  return (asks) =>
    new Promise((done, failed) => {
      if (waiting.length === 0) setImmediate(flush);
      waiting.push({ asks, done, failed });
    });
}

/** The columns from which values are brought live, as they are now. */
async function readBrought(
  db: Database,
  house: House,
  entries: readonly Entry[],
): Promise<BroughtNow> {
  const read = new Map<string, Awaited<ReturnType<typeof readColumns>>>();
  for (const [table, { ids, paths }] of broughtLive(entries)) {
    read.set(
      table,
      await readColumns(db, db.knex, house, { table, ids: [...ids], paths: [...paths] }),
    );
  }
  return (table, record, path) => read.get(table)?.get(record)?.[path];
}

/** The records of a table behind one, page by page. */
async function* idsFrom(db: Database, table: string, after: number): AsyncGenerator<number[]> {
  const sql = `select id from ${tableSql(db, table)} where id > ? order by id limit ${together}`;
  for (let at = after; ;) {
    const ids = (await rowsOf(db.knex, sql, [at])).map(({ id }) => Number(id));
    const last = ids.at(-1);
    if (last === undefined) return;
    at = last;
    yield ids;
  }
}

function rowOf(run: number, { root, grid, record, field, kind, message, value, now }: Judged) {
  return {
    ...{ run, record: root, grid, row_record: record, field, kind, message: message.slice(0, 500) },
    ...{
      value: JSON.stringify({ is: value }),
      now: now === undefined ? null : JSON.stringify({ is: now }),
    },
  };
}

function asRun(row: Record<string, unknown>): DriftRun {
  return {
    ...{ id: Number(row.id), form: String(row.form_key), edition: Number(row.edition) },
    ...{
      state: row.state as DriftRun['state'],
      reason: row.reason === null ? null : String(row.reason),
    },
    ...{ judged: Number(row.judged), total: Number(row.total), by: String(row.by_person) },
    ...{
      begunAt: momentOf(row.begun_at),
      endedAt: row.ended_at === null ? null : momentOf(row.ended_at),
    },
  };
}

const runs = (db: Database, runner: Runner = db.knex) => runner('drift_run').withSchema(db.catalog);
