import { storedMoment } from '../database/moments';
import type { AskedOnce } from '$lib/core/outside/sending';
import type { Database } from '../database/connection';
import { log } from '../log';

/** How a connection has done: the last time it answered, and the last time it failed. */
export interface ConnectionState {
  asked: number;
  lastAt: string | null;
  lastFailed: string | null;
}

/** So many reaches of a connection are remembered. */
const mostNoted = 300;
/** Milliseconds for which notes are gathered before they are written. */
const gathers = 500;

interface Noted extends Pick<AskedOnce, 'query' | 'took' | 'failed'> {
  connection: string;
}

const gathered = new Map<Database, { notes: (Noted & { at: Date })[]; timer: NodeJS.Timeout }>();
/** How many were noted of a connection since older ones were taken away. */
const sinceTrimmed = new Map<string, number>();

/**
 * Notes how a connection was reached, for its page; never what was asked or answered. Nobody waits for
 * it: notes are gathered for a moment, and written together.
 */
export function noteAsked(db: Database, noted: Noted): void {
  const waiting = gathered.get(db);
  const note = { ...noted, at: new Date() };
  if (waiting) return void waiting.notes.push(note);
  const timer = setTimeout(() => void writeNoted(db), gathers);
  timer.unref();
  gathered.set(db, { notes: [note], timer });
}

/** Writes what is gathered now. What cannot be written is let go. */
export async function writeNoted(db: Database): Promise<void> {
  const waiting = gathered.get(db);
  if (!waiting) return;
  gathered.delete(db);
  clearTimeout(waiting.timer);
  try {
    await asked(db).insert(
      waiting.notes.map(({ connection, query, took, failed, at }) => ({
        connection_key: connection,
        query_key: query,
        at: storedMoment(at),
        took,
        failed: failed?.slice(0, 400) ?? null,
      })),
    );
    for (const connection of new Set(waiting.notes.map((note) => note.connection))) {
      const many = waiting.notes.filter((note) => note.connection === connection).length;
      await trim(db, connection, many);
    }
  } catch (error) {
    const { code } = error as { code?: string };
    log.warn({ code }, 'how systems answered could not be noted');
  }
}

async function trim(db: Database, connection: string, many: number): Promise<void> {
  const name = `${db.name} ${connection}`;
  const since = (sinceTrimmed.get(name) ?? 0) + many;
  sinceTrimmed.set(name, since < 50 ? since : 0);
  if (since < 50) return;
  const of = { connection_key: connection };
  const last = await asked(db).where(of).orderBy('id', 'desc').offset(mostNoted).first('id');
  if (last) await asked(db).where(of).where('id', '<=', last.id).delete();
}

/** The last askings of a connection, newest first. */
export async function lastAsked(
  db: Database,
  connection: string,
  limit = 100,
): Promise<AskedOnce[]> {
  await writeNoted(db);
  const rows = await asked(db)
    .where({ connection_key: connection })
    .orderBy('id', 'desc')
    .limit(limit)
    .select('at', 'query_key', 'took', 'failed');
  return rows.map((row) => ({
    at: moment(row.at),
    query: row.query_key,
    took: Number(row.took),
    failed: row.failed,
  }));
}

/** How each connection has done lately, by its key. */
export async function connectionStates(db: Database): Promise<Map<string, ConnectionState>> {
  await writeNoted(db);
  const table = `\`${db.catalog}\`.outside_asked`;
  const [rows] = await db.knex.raw(
    `select a.connection_key as name, a.at, a.failed, t.n from ${table} a
     join (select connection_key, max(id) as id, count(*) as n from ${table} group by connection_key) t on t.id = a.id`,
  );
  return new Map(
    (rows as { name: string; at: unknown; failed: string | null; n: number }[]).map((row) => [
      row.name,
      { asked: Number(row.n), lastAt: moment(row.at), lastFailed: row.failed },
    ]),
  );
}

function asked(db: Database) {
  return db.knex('outside_asked').withSchema(db.catalog);
}

function moment(at: unknown): string {
  return `${String(at).replace(' ', 'T').slice(0, 23)}Z`;
}
