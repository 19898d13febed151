import { LRUCache } from 'lru-cache';
import { inTime } from '../in-time';
import { log } from '../log';
import { settings } from '../settings';
import { endDatabase, openDatabase, type Database } from './connection';
import { isAway } from './errors';
import { isGtid, later, type Moment } from './moment';
import { rowsOf } from './rows';

/** The cookie in which a browser keeps how far its own last save had come. */
export const momentCookie = 'unisor_moment';

/** A replica is asked again after so long whether it still follows; milliseconds. */
const lookEvery = 2000;
/** One that could not be reached is left alone for so long; milliseconds. */
const leaveFor = 5000;
/** A read waits so long for what the reader has saved; seconds. */
const mostWait = 1;
/** A replica that is further behind than this serves nobody; seconds. */
const mostBehind = 30;

/**
 * The database from which pages are read that may be a moment old: a replica (`UNISOR_READ_URL`), where there is one,
 * it follows, it knows the catalog as it is, and it has what the reader has saved. Otherwise the one that is written.
 */
export async function readingFrom(
  db: Database,
  seen: string | null,
  revision: () => Promise<string>,
): Promise<Database> {
  const replica = theReplica(db);
  if (!replica || performance.now() < leftUntil) return db;
  try {
    if (!(await follows(replica))) return db;
    const [row] = await rowsOf(
      replica.knex,
      `select ${seen === null ? '0' : `master_gtid_wait(?, ${mostWait})`} as late,
         (select value from \`${replica.catalog}\`.setting where name = 'catalog_revision') as revision`,
      seen === null ? [] : [seen],
    );
    if (Number(row?.late) !== 0) return db;
    return String(row?.revision) === (await revision()) ? replica : db;
  } catch (error) {
    // Whatever it is that it cannot do: the other one can.
    if (!isAway(error)) log.warn({ err: error }, 'a read replica could not be asked');
    leftUntil = performance.now() + leaveFor;
    return db;
  }
}

let opened: { url: string; replica: Database } | null = null;
let leftUntil = 0;

function theReplica({ catalog }: Database): Database | null {
  const { UNISOR_READ_URL: url } = settings();
  if (url === '') return null;
  if (opened?.url !== url) opened = { url, replica: openDatabase(url, catalog) };
  return opened.replica;
}

/** Closes the connections to the replica. */
export async function endReading(): Promise<void> {
  const known = opened?.replica;
  opened = null;
  if (known) await endDatabase(known);
}

let looked = { at: -Infinity, follows: Promise.resolve(false) };

/** Whether the server still follows another one, and is not far behind. One that was promoted follows nobody. */
function follows(replica: Database): Promise<boolean> {
  if (performance.now() - looked.at > lookEvery) {
    looked = { at: performance.now(), follows: askFollows(replica) };
  }
  return looked.follows;
}

async function askFollows(replica: Database): Promise<boolean> {
  return (await askState(replica)) === 'follows';
}

/** How a replica stands: far behind or standing still, following nobody, or out of reach. */
export type ReplicaState = 'follows' | 'behind' | 'alone' | 'away';

/** How the replica stands now; `null` where there is none. */
export async function replicaState(db: Database): Promise<ReplicaState | null> {
  const replica = theReplica(db);
  if (!replica) return null;
  const asked = inTime(askState(replica), 2000, () => new Error('the replica does not answer'));
  return asked.catch((): ReplicaState => 'away');
}

async function askState(replica: Database): Promise<ReplicaState> {
  const [row] = await rowsOf(replica.knex, 'show replica status');
  if (!row) return 'alone';
  // Where it has lost the other one it has no figure: it may be any time behind.
  const behind = row.Seconds_Behind_Master;
  const near = behind !== null && behind !== undefined && Number(behind) <= mostBehind;
  return row.Slave_SQL_Running === 'Yes' && near ? 'follows' : 'behind';
}

/** What people have written last through this process: also in answers whose cookies had been sent before. */
const last = new LRUCache<string, string>({ max: 5000, ttl: 600_000 });

/** How far a reader's own saves have come, as their browser and this process know it. */
export function momentOf(reader: string, cookie: string | undefined): string | null {
  return later(isGtid(cookie) ? cookie : null, last.get(reader) ?? null);
}

/** Remembers what a request has written; gives it where it has written something. */
export function keepMoment(reader: string, { gtid }: Moment): string | null {
  if (gtid !== null) last.set(reader, later(last.get(reader) ?? null, gtid) ?? gtid);
  return gtid;
}
