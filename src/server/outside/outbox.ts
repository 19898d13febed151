import type { Knex } from 'knex';
import type { PlannedMail } from '$lib/core/entry/mail-plan';
import { longestAddress, type PlannedSend } from '$lib/core/entry/send-plan';
import { mailLane, type Sending } from '$lib/core/outside/sending';
import { fail, type ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import type { Scalar } from '$lib/core/values/types';
import { addressesOf } from '../access/accounts';
import { loadTables } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { takeLease } from '../database/lease';
import { parseJson } from '../database/json';
import { inTransaction } from '../database/transaction';
import { log } from '../log';
import { askHttp } from './http';
import { mailBody, sendMail } from './mail';
import { writeSql } from './sql';
import { pauseOf, reachSystem, type Reached } from './system';
import { OutsideStatusError, told } from './told';

/** Notes what a save has to send, in its transaction. */
export async function noteSends(
  db: Database,
  trx: Knex.Transaction,
  sends: readonly PlannedSend[],
  { submission, form, by }: { submission: string; form: string; by: string },
): Promise<void> {
  if (sends.length === 0) return;
  await outbox(db, trx).insert(
    sends.map(({ connection, method, address, body }, i) => ({
      submission,
      form_key: form,
      connection_key: connection,
      method,
      address,
      body: JSON.stringify(body),
      idempotency_key: `${submission}-${i + 1}`,
      by_person: by,
    })),
  );
}

/** Notes the e-mails of a save, in its transaction: one message to each recipient, so that none waits for another. */
export async function noteMails(
  db: Database,
  trx: Knex.Transaction,
  mails: readonly PlannedMail[],
  { submission, form, by }: { submission: string; form: string; by: string },
): Promise<void> {
  const people = mails.flatMap((mail) => mail.people);
  const known = people.length === 0 ? new Map() : await addressesOf(db, trx, people);
  const messages = mails.flatMap(({ people: named, to, subject, text }) => {
    const found = named.map((name) => ({ name, address: known.get(name) ?? '' }));
    const all = [...to.map((address) => ({ name: '', address })), ...found];
    return all.map((one) => ({ ...one, subject, text }));
  });
  if (messages.length === 0) return;
  await outbox(db, trx).insert(
    messages.map(({ name, address, subject, text }, i) => ({
      submission,
      form_key: form,
      connection_key: mailLane,
      method: 'MAIL',
      address: (address === '' ? name : address).slice(0, longestAddress),
      body: JSON.stringify({ subject, text }),
      idempotency_key: `${submission}-mail-${i + 1}`,
      by_person: by,
    })),
  );
}

/** A try may take so long; after twice that another process takes it over. Milliseconds. */
const tryLimit = 10_000;
/** With the pauses between them so many tries last for about six hours. */
const mostTries = 45;
const together = 8;

/**
 * Delivers what is due; gives how many were tried. Each system has a lane of its own, so that one that does not
 * answer keeps nothing back that is for others. Any number of processes can do this at once.
 */
export async function deliverDue(db: Database): Promise<number> {
  const tried = await Promise.all((await dueConnections(db)).map((key) => deliverLane(db, key)));
  return tried.reduce((sum, n) => sum + n, 0);
}

/** The systems for which something is due. */
function dueConnections(db: Database): Promise<string[]> {
  return outbox(db)
    .where({ state: 'waiting' })
    .where('next_at', '<=', db.knex.fn.now(3))
    .distinct()
    .pluck('connection_key');
}

/** Delivers what is due for one system, as long as there is anything, unless another process is doing that. */
async function deliverLane(db: Database, connection: string): Promise<number> {
  const lease = await takeLease(db, `outbox ${connection}`);
  if (!lease) return 0;
  let tried = 0;
  try {
    for (;;) {
      const due = await claimDue(db, connection);
      const tables = await loadTables(db);
      await Promise.all(due.map((row) => deliver(db, tables, row)));
      tried += due.length;
      if (due.length < together || stopped) return tried;
    }
  } finally {
    await lease.end();
  }
}

interface OutboxRow {
  id: number;
  form_key: string;
  connection_key: string;
  method: Sending['method'];
  address: string;
  body: unknown;
  idempotency_key: string;
  state: Sending['state'];
  tries: number;
  next_at: string;
  reason: string | null;
  by_person: string;
  made_at: string;
}

/**
 * Takes what is due for this process, by putting off its next try: if the process dies, it is tried again
 * then, under the same idempotency key.
 */
async function claimDue(db: Database, connection: string): Promise<OutboxRow[]> {
  return inTransaction(db, async (trx) => {
    const rows = (await outbox(db, trx)
      .where({ state: 'waiting', connection_key: connection })
      .where('next_at', '<=', trx.fn.now(3))
      .orderBy('next_at')
      .limit(together)
      .forUpdate()
      .skipLocked()
      .select()) as OutboxRow[];
    const ids = rows.map(({ id }) => id);
    if (ids.length > 0) {
      await outbox(db, trx)
        .whereIn('id', ids)
        .update({ tries: trx.raw('tries + 1'), next_at: inMilliseconds(trx, 2 * tryLimit) });
    }
    return rows;
  });
}

async function deliver(db: Database, tables: House, row: OutboxRow): Promise<void> {
  const tries = row.tries + 1;
  const own = () => outbox(db).where({ id: row.id, state: 'waiting' });
  // A system that is left alone is not tried: that is no try of what waits.
  const pause = pauseOf(db, row.connection_key);
  if (pause > 0) {
    await own().update({ tries: row.tries, next_at: inMilliseconds(db.knex, pause) });
    return;
  }
  const limit = tryLimit;
  try {
    if (row.method === 'MAIL') {
      await sendMail({ ...row, body: mailBody.parse(parseJson(row.body)), limit });
    } else {
      await reachSystem(
        db,
        tables,
        row.connection_key,
        { query: null, limit, again: false },
        (reached) => send(row, reached),
      );
    }
    await own().update({ state: 'sent', sent_at: db.knex.fn.now(3), reason: null });
  } catch (error) {
    const failed = told(error, row.connection_key, limit);
    const reason = failed.problems[0]?.message ?? 'failed';
    await putOff(db, own(), tries, reason, isLasting(failed));
  }
}

/** Whether trying again cannot help: the system, or the connection, refuses it. */
function isLasting(failed: ProblemError): boolean {
  if (failed instanceof OutsideStatusError) {
    const { answered } = failed;
    return answered >= 400 && answered < 500 && answered !== 408 && answered !== 429;
  }
  const code = failed.problems[0]?.code;
  return code === 'outside_refused' ? failed.status !== 503 : lasting.has(code ?? '');
}

/** What a person has to mend before anything can be told. */
const lasting = new Set([
  'outside_takes_nothing',
  'outside_read_only',
  'writing_only',
  'unknown_connection',
  'mail_person_missing',
  'mail_refused',
]);

async function send(row: OutboxRow, reached: Reached): Promise<void> {
  const { reach, title: system } = reached.connection;
  const body = parseJson(row.body);
  if (reach.kind === 'sql' && row.method === 'SQL') {
    const values = { ...(body as Record<string, Scalar>), once: row.idempotency_key };
    return writeSql(reach, row.address, values, reached);
  }
  if (reach.kind !== 'http' || row.method === 'SQL' || row.method === 'MAIL') {
    return fail('outside_takes_nothing', { system });
  }
  const address = `${reach.base.replace(/\/+$/, '')}${row.address}`;
  const headers = { 'idempotency-key': row.idempotency_key };
  const { status } = await askHttp(reach, address, reached, { method: row.method, headers, body });
  if (status >= 300) throw new OutsideStatusError(system, status);
}

/** Tries later, after a growing pause; or not any more, where that cannot help. */
async function putOff(
  db: Database,
  own: Knex.QueryBuilder,
  tries: number,
  reason: string,
  lasting: boolean,
): Promise<void> {
  const state = lasting || tries >= mostTries ? 'failed' : 'waiting';
  if (state === 'failed') log.warn({ reason, tries }, 'something could not be sent outside');
  await own.update({
    state,
    reason: reason.slice(0, 400),
    next_at: inMilliseconds(db.knex, pauseAfter(tries)),
  });
}

/** Milliseconds until the next try: 2 s, 4 s, 8 s … up to ten minutes. */
export function pauseAfter(tries: number): number {
  return Math.min(600_000, 1000 * 2 ** Math.min(tries, 20));
}

/** What waits, failed, or was sent lately: what needs somebody first. */
export async function listSends(db: Database, limit = 200): Promise<Sending[]> {
  const rows = (await outbox(db)
    .orderByRaw(`field(state, 'failed', 'waiting', 'dropped', 'sent'), id desc`)
    .limit(limit)
    .select()) as OutboxRow[];
  return rows.map((row) => ({
    id: Number(row.id),
    form: row.form_key,
    connection: row.connection_key,
    method: row.method,
    address: row.address,
    body: parseJson(row.body),
    state: row.state,
    tries: Number(row.tries),
    nextAt: moment(row.next_at),
    reason: row.reason,
    by: row.by_person,
    madeAt: moment(row.made_at),
  }));
}

/** Tries again at once, or gives up, by hand. */
export async function settleSend(db: Database, id: number, step: 'retry' | 'drop'): Promise<void> {
  const open = outbox(db).where({ id }).whereIn('state', ['waiting', 'failed']);
  const changed = await open.update(
    step === 'drop'
      ? { state: 'dropped' }
      : { state: 'waiting', tries: 0, next_at: db.knex.fn.now(3) },
  );
  if (changed === 0) fail('unknown_record', { id: String(id), table: 'outbox' }, 404);
}

/** How many of each state there are. */
export async function countSends(db: Database): Promise<Record<Sending['state'], number>> {
  const rows = await outbox(db).groupBy('state').select('state').count({ n: '*' });
  const counts = { waiting: 0, sent: 0, failed: 0, dropped: 0 };
  for (const { state, n } of rows as { state: Sending['state']; n: number }[])
    counts[state] = Number(n);
  return counts;
}

let timer: ReturnType<typeof setTimeout> | null = null;
let stopped = false;
/** The lanes of this process that are delivering now, by system. */
const lanes = new Map<string, Promise<unknown>>();
let looking: Promise<unknown> = Promise.resolve();

/** Delivers from now on: every second it is looked for which systems something is due. */
export function startDelivery(db: Database): void {
  stopped = false;
  const failed = (error: unknown) =>
    log.warn({ err: error }, 'what waits to be sent could not be looked at');
  const round = async () => {
    try {
      for (const key of await dueConnections(db)) {
        if (lanes.has(key) || stopped) continue;
        const lane = deliverLane(db, key)
          .catch(failed)
          .finally(() => lanes.delete(key));
        lanes.set(key, lane);
      }
    } catch (error) {
      failed(error);
    }
    if (!stopped) timer = setTimeout(turn, 1000);
  };
  const turn = () => void (looking = round());
  timer = setTimeout(turn, 300);
}

/** Stops delivering, after what is on its way has ended. */
export async function stopDelivery(): Promise<void> {
  stopped = true;
  if (timer) clearTimeout(timer);
  await looking;
  await Promise.all(lanes.values());
}

function inMilliseconds(runner: Runner, n: number) {
  return runner.raw('date_add(now(3), interval ? microsecond)', [n * 1000]);
}

function moment(at: unknown): string {
  return `${String(at).replace(' ', 'T').slice(0, 23)}Z`;
}

function outbox(db: Database, runner: Runner = db.knex) {
  return runner('outbox').withSchema(db.catalog);
}
