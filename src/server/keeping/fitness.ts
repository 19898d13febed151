import { sizeText } from '$lib/core/values/files';
import { say } from '$lib/core/words/say';
import type { Database } from '../database/connection';
import { isClustered } from '../database/lock-rows';
import { replicaState, type ReplicaState } from '../database/replica';
import { rowsOf } from '../database/rows';
import { settings } from '../settings';

/** What a database server is set to, as far as it matters here. Bytes. */
export interface ServerSettings {
  bufferPool: number;
  packet: number;
  flushesAtCommit: boolean;
  shortestWord: number;
  binaryLog: boolean;
  /** The collations of our two schemas. */
  collations: readonly string[];
  /** Whether the account may do everything on the whole server. */
  mayEverything: boolean;
  /** What the records take, with their indexes. */
  data: number;
  /** Of a cluster: how many nodes take part, and how many there should be. */
  nodes: { now: number; all: number } | null;
  /** How the read replica stands, where there is one. */
  replica: ReplicaState | null;
}

const mb = 2 ** 20;
/** A packet holds at least a batch of an import, or a piece of a file. */
const leastPacket = 16 * mb;
/** A house smaller than this needs no large buffer pool. */
const smallHouse = 200 * mb;

/** What of a database server does not fit us, a sentence each; nothing where all is well. */
export function unfit(set: ServerSettings): string[] {
  const found: string[] = [];
  const short = set.data > smallHouse && set.bufferPool < set.data / 2;
  if (short) {
    found.push(
      say(
        `The database keeps ${sizeText(set.bufferPool)} of pages in memory (innodb_buffer_pool_size), while the records take ${sizeText(set.data)}: searching and totals read from the disk.`,
      ),
    );
  }
  if (!set.flushesAtCommit) {
    found.push(
      say(
        'The database does not write each save to the disk before it answers (innodb_flush_log_at_trx_commit): what was confirmed can be lost when its machine stops.',
      ),
    );
  }
  if (set.packet < leastPacket) {
    found.push(
      say(
        `The database takes ${sizeText(set.packet)} at once (max_allowed_packet): imports and files need ${sizeText(leastPacket)}.`,
      ),
    );
  }
  if (set.shortestWord > 2) {
    found.push(
      say(
        `Words shorter than ${set.shortestWord} letters are in no index (innodb_ft_min_token_size): searching for them looks through the records.`,
      ),
    );
  }
  if (!set.binaryLog) {
    found.push(
      say(
        'The database keeps no binary log (log_bin): after a restore nothing can be done once more that came after the backup.',
      ),
    );
  }
  if (set.collations.some((collation) => !collation.startsWith('utf8mb4_uca1400'))) {
    found.push(
      say(
        'A schema of ours has another collation than utf8mb4_uca1400_ai_ci: texts are compared otherwise than in the rest.',
      ),
    );
  }
  if (set.mayEverything) {
    found.push(
      say(
        'The account may do everything on the whole database server. To serve it needs all rights on our two schemas, and none elsewhere.',
      ),
    );
  }
  if (set.nodes && set.nodes.now < set.nodes.all) {
    found.push(
      say(
        `Only ${set.nodes.now} of the ${set.nodes.all} nodes of the database take part; if another one fails, saving may stop.`,
      ),
    );
  }
  if (set.replica) found.push(...lame(set.replica));
  return found;
}

function lame(replica: ReplicaState): string[] {
  switch (replica) {
    case 'follows':
      return [];
    case 'away':
      return [
        say('The read replica cannot be reached; everything is read from the main database.'),
      ];
    case 'behind':
      return [
        say(
          'The read replica stands still, or is far behind; everything is read from the main database.',
        ),
      ];
    case 'alone':
      return [
        say(
          'The read replica follows no other server (was it promoted?); everything is read from the main database.',
        ),
      ];
  }
}

/** Reads what the database server is set to. */
export async function serverSettings(db: Database): Promise<ServerSettings> {
  const [set] = await rowsOf(
    db.knex,
    `select @@innodb_buffer_pool_size as pool, @@global.max_allowed_packet as packet,
       @@innodb_flush_log_at_trx_commit as flushes, @@innodb_ft_min_token_size as word,
       @@log_bin as log`,
  );
  const schemas = await rowsOf(
    db.knex,
    'select default_collation_name as c from information_schema.schemata where schema_name in (?, ?)',
    [db.catalog, db.records],
  );
  const [sum] = await rowsOf(
    db.knex,
    'select coalesce(sum(data_length + index_length), 0) as n from information_schema.tables where table_schema = ?',
    [db.records],
  );
  const grants = (await rowsOf(db.knex, 'show grants for current_user()')).flatMap((row) =>
    Object.values(row).map(String),
  );
  const [size] = await rowsOf(db.knex, `show global status like 'wsrep_cluster_size'`);
  const [named] = await rowsOf(db.knex, `show global variables like 'wsrep_cluster_address'`);
  const all = String(named?.Value ?? '').split(',').length;
  return {
    nodes: (await isClustered(db)) ? { now: Number(size?.Value), all } : null,
    replica: await replicaState(db),
    ...{ bufferPool: Number(set?.pool), packet: Number(set?.packet), data: Number(sum?.n) },
    ...{ flushesAtCommit: Number(set?.flushes) === 1, shortestWord: Number(set?.word) },
    binaryLog: Number(set?.log) === 1,
    collations: schemas.map(({ c }) => String(c)),
    // The database that Unisor has made for itself is nobody else's.
    mayEverything:
      settings().UNISOR_OWN_DATABASE !== '1' &&
      grants.some((grant) => /^GRANT ALL PRIVILEGES ON \*\.\*/i.test(grant)),
  };
}
