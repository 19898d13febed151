import { randomUUID } from 'node:crypto';
import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { PassThrough, Readable } from 'node:stream';
import { connect } from 'node:tls';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { clusteredHouse, type Clustered, type Part } from '../../scripts/clustered.mjs';
import { root } from '../../scripts/install.mjs';
import type { OwnServer } from '../../scripts/server.mjs';
import { formHead, makeForm, publishForm } from '../../src/server/catalog/forms';
import { ensureIndexes, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { isAway } from '../../src/server/database/errors';
import { migrate } from '../../src/server/database/migrate';
import { tableSql, wordsName } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { keepWords } from '../../src/server/keeping/words';
import { importSchema, openImport, runImport } from '../../src/server/records/import';
import { indexesBeside } from '../../src/server/records/words-beside';
import { saveEntry } from '../../src/server/records/save';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { column, table } from '../support/definitions';
import { keeperCookie } from '../support/keeper';
import { makeLending } from '../support/house';
import { storePlans } from '../support/lending';
import { send } from '../support/own-server';
import { expectReplayed } from '../support/replay';

/** Saves may pause so long while another node is taken: milliseconds. */
const longestPause = 20_000;
const nodes = [0, 1, 2];

let folder: string;
let house: Clustered;
let balancer: Part;
let servers: OwnServer[];
let db: Database;
let page: { address: string; cookie: string };
let scores: number[];

beforeAll(async () => {
  folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-cluster-'));
  house = await clusteredHouse(folder, { log: 'silent' });
  await house.cluster.start();
  balancer = await house.balance();
  db = openDatabase(house.url);
  await migrate(db, house.url);
  await makeLending(db);
  for (const [key, plan] of Object.entries(storePlans())) {
    await makeForm(db, { table: plan.table, key, plan }, 'test');
    await publishForm(db, key, 1, 'test');
  }
  const tables = await loadTables(db);
  const table = tableFrom(tables, 'score');
  scores = [];
  for (let i = 0; i < 4; i++) {
    const values = { code: `T-${i}`, name: `Score ${i}` };
    scores.push((await addRecord(db, tables, table, values, 'test')).id);
  }
  servers = await Promise.all(house.processes.map((i) => house.serve(i)));
  page = { address: house.address, cookie: await keeperCookie(db) };
}, 240_000);

afterAll(async () => {
  await Promise.all((servers ?? []).map((server) => server.stop()));
  await endDatabase(db);
  await balancer.stop();
  await house.cluster.stop();
  fs.rmSync(folder, { recursive: true, force: true });
}, 120_000);

/** The node that is written now, as the balancer leads to it. */
async function written(): Promise<number> {
  const [row] = await rowsOf(db.knex, 'select @@port as port');
  return house.cluster.plan.nodes.findIndex(({ port }) => port === Number(row?.port));
}

/** Whom a port is, by a certificate of the authority. */
function namedOn(port: number, ca: string): Promise<string | string[] | undefined> {
  return new Promise((done, fail) => {
    const socket = connect({ host: '127.0.0.1', port, ca }, () => {
      const { CN } = socket.getPeerCertificate().subject;
      socket.destroy();
      done(CN);
    });
    socket.once('error', fail);
  });
}

/** What clerks were told was saved, and the moments at which they were. */
class Clerks {
  readonly acknowledged = new Set<string>();
  readonly failures: string[] = [];
  #last = performance.now();
  /** The longest time in which nobody was told of a save. */
  pause = 0;
  #going = true;
  readonly #working: Promise<void>[];

  constructor(many = 6) {
    this.#working = Array.from({ length: many }, (_, i) => this.#clerk(i));
  }

  /** Waits until so many more saves are acknowledged. */
  async saves(more: number): Promise<void> {
    const goal = this.acknowledged.size + more;
    const end = Date.now() + 90_000;
    while (this.acknowledged.size < goal) {
      await sleep(50);
      expect(this.failures).toEqual([]);
      expect(Date.now(), 'nobody could save').toBeLessThan(end);
    }
  }

  async stop(): Promise<void> {
    this.#going = false;
    await Promise.all(this.#working);
  }

  /** Receives and lends; what was not answered is sent again, as the same. */
  async #clerk(own: number): Promise<void> {
    for (let n = own; this.#going; n++) {
      const submission = randomUUID();
      const score = scores[n % scores.length] ?? 0;
      const receives = n % 3 === 0;
      const form = receives ? 'receive' : 'lend';
      const values = receives
        ? { score, kind: 'received', quantity: 3 }
        : { score, copies: 2, weeks: 2 };
      while (!(await this.#told(form, { submission, edition: 1, values }))) await sleep(100);
    }
  }

  /** Sends an entry; gives whether it was answered, with yes or no. */
  async #told(
    form: string,
    body: { submission: string; [more: string]: unknown },
  ): Promise<boolean> {
    try {
      const address = `/api/forms/${form}/entries`;
      const answer = await send(page as never, 'POST', address, body, {
        signal: AbortSignal.timeout(8000),
      });
      const said = await answer.text();
      if (answer.status === 422) return true;
      if (answer.status === 200 || answer.status === 201) {
        this.acknowledged.add(body.submission);
        this.pause = Math.max(this.pause, performance.now() - this.#last);
        this.#last = performance.now();
        return true;
      }
      if (![502, 503, 504].includes(answer.status)) this.failures.push(`${answer.status} ${said}`);
      return false;
    } catch {
      return false;
    }
  }
}

/** Sees that a node holds what was acknowledged, each once, that its tables say what its journal says, and no limit is broken. */
async function expectWhole(i: number, acknowledged: ReadonlySet<string>): Promise<void> {
  const node = openDatabase(house.cluster.urlOf(i));
  try {
    const noted = (await node
      .knex('journal')
      .withSchema(node.catalog)
      .where({ kind: 'entry' })
      .whereNotNull('submission')
      .pluck('submission')) as string[];
    const once = new Set(noted);
    expect(once.size).toBe(noted.length);
    expect([...acknowledged].filter((submission) => !once.has(submission))).toEqual([]);
    expect(
      await expectReplayed(node, ['loan', 'copy_movement', 'score', 'ensemble']),
    ).toBeGreaterThan(acknowledged.size);
    const broken = await rowsOf(
      node.knex,
      `select score, sum(if(kind = 'received', quantity, -quantity)) as n
         from \`${node.records}\`.copy_movement group by score having n < 0`,
    );
    expect(broken).toEqual([]);
  } finally {
    await endDatabase(node);
  }
}

/** Waits until every node takes part again and has come as far as the others. */
async function caughtUp(): Promise<void> {
  for (const i of nodes) {
    const node = openDatabase(house.cluster.urlOf(i));
    try {
      const end = Date.now() + 90_000;
      for (;;) {
        expect(Date.now(), 'a node did not come back').toBeLessThan(end);
        const rows = await rowsOf(
          node.knex,
          `show global status where variable_name in ('wsrep_cluster_size', 'wsrep_local_state_comment', 'wsrep_ready')`,
        ).catch(() => []);
        const status = Object.fromEntries(rows.map((row) => [row.Variable_name, row.Value]));
        const whole = status.wsrep_cluster_size === '3' && status.wsrep_ready === 'ON';
        if (whole && status.wsrep_local_state_comment === 'Synced') break;
        await sleep(200);
      }
      // A read that waits for all that the others have written.
      await node.knex.transaction(async (trx) => {
        await trx.raw('set session wsrep_sync_wait = 7');
        await trx.raw('select 1 from ??.setting limit 1', [node.catalog]);
        await trx.raw('set session wsrep_sync_wait = 0');
      });
    } finally {
      await endDatabase(node);
    }
  }
}

/** Has clerks save while something happens; sees that nothing was lost or doubled, on any node. */
async function through(what: (clerks: Clerks) => Promise<void>): Promise<Clerks> {
  const clerks = new Clerks();
  try {
    await clerks.saves(20);
    await what(clerks);
    await clerks.saves(20);
  } finally {
    await clerks.stop();
  }
  await caughtUp();
  expect(clerks.failures).toEqual([]);
  for (const i of nodes) await expectWhole(i, clerks.acknowledged);
  return clerks;
}

const reading = { decimal: '.', dates: 'ymd' };

/** A file of two columns that becomes a table. */
const fileFor = (key: string) =>
  importSchema.parse({
    target: { kind: 'new', key, title: key, display: ['code'] },
    columns: ['code', 'title'].map((name, source) => ({
      ...column(name),
      ...{ source, match: null, reading },
    })),
    ...{ delimiter: ',', cells: 2, corrections: [] },
  });

function* lines(records: number): Generator<string> {
  yield 'code,title\n';
  for (let i = 1; i <= records; i++) yield `B-${i},${i % 2 ? 'Lament' : 'Waltz'} ${i}\n`;
}

/** Every node has all the records of a file, each once. */
async function expectOnAll(key: string, records: number): Promise<void> {
  for (const { port } of house.cluster.plan.nodes) {
    const node = openDatabase(house.cluster.simulatorsUrlAt(port));
    const counted = await rowsOf(
      node.knex,
      `select count(*) as n, count(distinct code) as codes, sum(title like 'Waltz%') as waltzes from ${tableSql(db, key)}`,
    );
    expect(counted.map(({ n, codes, waltzes }) => [n, codes, waltzes].map(Number))).toEqual([
      [records, records, records / 2],
    ]);
    await endDatabase(node);
  }
}

describe('a cluster of three database nodes behind a balancer', { timeout: 240_000 }, () => {
  beforeEach(() => caughtUp());

  it('sends nothing in plain, and goes to nobody but a node', async () => {
    const [cipher] = await rowsOf(db.knex, "show session status like 'Ssl_cipher'");
    expect(String(cipher?.Value)).not.toBe('');
    const plain = new URL(house.url);
    plain.search = '';
    const refused = async (url: string) => {
      const other = openDatabase(url);
      try {
        await rowsOf(other.knex, 'select 1');
        return '';
      } catch (error) {
        return String(error);
      } finally {
        await endDatabase(other);
      }
    };
    expect(await refused(plain.href)).toContain('Access denied');
    const strangers = path.join(folder, 'strangers');
    execFileSync(path.join(root, 'deploy', 'make-certificates'), [strangers]);
    const strange = `${plain.href}?ca=${encodeURIComponent(path.join(strangers, 'ca.pem'))}`;
    expect(await refused(strange)).toMatch(/certificate|handshake/i);
    expect(() => openDatabase(`${plain.href}?ca=/nowhere.pem`)).toThrow(
      'names a certificate that cannot be read: /nowhere.pem',
    );
    const ca = fs.readFileSync(house.cluster.authority, 'utf8');
    for (const { name, talk } of house.cluster.plan.nodes) {
      expect(await namedOn(talk, ca), 'between the nodes').toBe(name);
    }
    // The copies of the second and the third.
    const copied = fs.readFileSync(path.join(folder, 'nodes', 'node2.log'), 'utf8');
    expect(copied).toContain('Verifying peer certificate chain');
  });

  it('replaces the written node when it is killed', async () => {
    const before = await written();
    const { pause } = await through(async (clerks) => {
      await house.cluster.end(before, 'SIGKILL');
      await clerks.saves(20);
      expect(await written()).not.toBe(before);
      await house.cluster.startNode(before);
    });
    expect(pause).toBeLessThan(longestPause);
    // It does not lead back to the one that has returned.
    expect(await written()).not.toBe(before);
    console.log(`killed: saves paused ${Math.round(pause)} ms`);
  });

  it('replaces the written node when it freezes, and takes it back when it thaws', async () => {
    const before = await written();
    const { pause } = await through(async (clerks) => {
      house.cluster.freeze(before);
      await clerks.saves(20);
      house.cluster.freeze(before, false);
    });
    expect(pause).toBeLessThan(longestPause);
    expect(await written()).not.toBe(before);
    console.log(`frozen: saves paused ${Math.round(pause)} ms`);
  });

  it('goes on with the majority when the written node is cut off from the others', async () => {
    const before = await written();
    const isolate = async (on: 0 | 1) => {
      const { port } = house.cluster.plan.nodes[before] ?? { port: 0 };
      const node = openDatabase(house.cluster.simulatorsUrlAt(port));
      await node.knex.raw(`set global wsrep_provider_options = 'gmcast.isolate=${on}'`);
      await endDatabase(node);
    };
    const { pause } = await through(async (clerks) => {
      await isolate(1);
      await clerks.saves(20);
      expect(await written()).not.toBe(before);
      await isolate(0);
    });
    expect(pause).toBeLessThan(longestPause);
    console.log(`cut off: saves paused ${Math.round(pause)} ms`);
  });

  it('comes back from a kill of all three with everything that was acknowledged', async () => {
    const { pause } = await through(async () => {
      await Promise.all(nodes.map((i) => house.cluster.end(i, 'SIGKILL')));
      await house.cluster.start();
    });
    console.log(`all killed: saves paused ${Math.round(pause)} ms`);
  });

  it('tells the limits of other nodes of what is written past the forms', async () => {
    const tables = await loadTables(db);
    const movement = tableFrom(tables, 'copy_movement');
    const [one = 0, other = 0] = scores;
    const written = async (work: () => Promise<unknown>) => {
      const sum = async () => {
        const [row] = await rowsOf(db.knex, `select sum(n) as n from \`${db.catalog}\`.lock_row`);
        return Number(row?.n ?? 0);
      };
      const before = await sum();
      await work();
      return (await sum()) - before;
    };
    let made = { id: 0, version: 0 };
    const values = { score: one, kind: 'received', quantity: 1 };
    // What it refers to.
    expect(
      await written(async () => (made = await addRecord(db, tables, movement, values, 'test'))),
    ).toBe(1);
    // Itself, what it referred to, and what it refers to now.
    const moved = () =>
      changeRecord(db, tables, movement, made.id, made.version, { score: other }, 'test');
    expect(await written(moved)).toBe(3);
    // Itself, and what it referred to.
    expect(
      await written(() => deleteRecord(db, tables, movement, made.id, made.version + 1, 'test')),
    ).toBe(2);
  });

  it('breaks no limit even where several nodes are written at once', async () => {
    const tables = await loadTables(db);
    const table = tableFrom(tables, 'score');
    const each = await Promise.all(nodes.map((i) => openDatabase(house.cluster.urlOf(i))));
    let lent = 0;
    try {
      for (let round = 0; round < 25; round++) {
        const code = `R-${round}`;
        const made = await addRecord(db, tables, table, { code, name: code }, 'test');
        const movement = tableFrom(tables, 'copy_movement');
        const received = { score: made.id, kind: 'received', quantity: 2 };
        await addRecord(db, tables, movement, received, 'test');
        await caughtUp();
        const values = { score: made.id, copies: 2, weeks: 2 };
        const tried = await Promise.allSettled(
          each.map((node) =>
            saveEntry(node, 'lend', { submission: randomUUID(), edition: 1, values }, 'test'),
          ),
        );
        const saved = tried.filter(({ status }) => status === 'fulfilled').length;
        expect(saved, `round ${round}`).toBe(1);
        lent += saved;
      }
    } finally {
      await Promise.all(each.map(endDatabase));
    }
    expect(lent).toBe(25);
    await caughtUp();
    for (const i of nodes) await expectWhole(i, new Set());
  });

  it('does not starve while many save at once for the first time', async () => {
    const { revision } = await formHead(db, 'receive');
    await publishForm(db, 'receive', revision, 'test');
    const fresh = openDatabase(house.url);
    try {
      const tables = await loadTables(fresh);
      const movement = tableFrom(tables, 'copy_movement');
      const adds = Array.from({ length: 24 }, (_, i) => {
        const values = { score: scores[i % scores.length] ?? 0, kind: 'received', quantity: 1 };
        return addRecord(fresh, tables, movement, values, 'test');
      });
      expect(new Set((await Promise.all(adds)).map(({ id }) => id)).size).toBe(24);
    } finally {
      await endDatabase(fresh);
    }
  });

  it('takes a large file in while people save', async () => {
    const records = 120_000;
    const { pause } = await through(async (clerks) => {
      const id = await openImport(db, fileFor('bulk'), 'test');
      const result = await runImport(db, id, Readable.from(lines(records)), 'test');
      expect(result.written).toBe(records);
      await clerks.saves(20);
    });
    console.log(`a large file: saves paused ${Math.round(pause)} ms`);
    expect(pause).toBeLessThan(4000);
    await expectOnAll('bulk', records);
  });

  it('leaves nothing of a file whose node was killed while it came in, and takes it again', async () => {
    const records = 30_000;
    await through(async (clerks) => {
      const before = await written();
      const body = new PassThrough();
      const first = await openImport(db, fileFor('cut_off'), 'test');
      // It has been sent to the other nodes in part when its own one is killed.
      const running = runImport(db, first, body, 'test').then(
        () => 'done',
        (error: unknown) => (isAway(error) ? 'away' : String(error)),
      );
      for (const line of lines(records)) body.write(line);
      await clerks.saves(40);
      await house.cluster.end(before, 'SIGKILL');
      body.end();
      expect(await running).toBe('away');
      await clerks.saves(20);
      await house.cluster.startNode(before);
      // What the first one held runs out, where it could not give it back any more.
      await vi.waitFor(
        async () => {
          const second = await openImport(db, fileFor('cut_off'), 'test');
          await runImport(db, second, Readable.from(lines(records)), 'test');
        },
        { timeout: 60_000, interval: 1000 },
      );
    });
    await expectOnAll('cut_off', records);
  });

  it('takes in the words of a large table while people save, and goes on when a node is lost', async () => {
    const records = 110_000;
    const words = [
      { table: 'sheet', index: { kind: 'search' as const, columns: ['code', 'title'] } },
    ];
    await makeTable(db, table('sheet', [column('code'), column('title')]), 'test');
    await db.knex.raw(
      `insert into ${tableSql(db, 'sheet')} (code, title, created_by, updated_by)
       select concat('SH-', seq), elt(1 + seq % 3, 'Lament', 'Waltz', 'Elegy'), 't', 't' from ${tableSql(db, `seq_1_to_${records}`)}`,
    );
    await db.knex.raw(`analyze table ${tableSql(db, 'sheet')}`);
    const { pause } = await through(async (clerks) => {
      expect(await ensureIndexes(db, words, 'test')).toEqual({ behind: true });
      const before = await written();
      const begun = keepWords(db, { piece: 2000 }).catch(() => undefined);
      await clerks.saves(5);
      await house.cluster.end(before, 'SIGKILL');
      await clerks.saves(20);
      await begun;
      await house.cluster.startNode(before);
    });
    expect(pause).toBeLessThan(longestPause);
    console.log(`words taken in: saves paused ${Math.round(pause)} ms`);
    const name = await vi.waitFor(
      async () => {
        await keepWords(db);
        const [index] = indexesBeside(tableFrom(await loadTables(db), 'sheet'));
        expect(index?.beside.whole).toBe(true);
        return index?.beside.name ?? '';
      },
      { timeout: 90_000, interval: 1000 },
    );
    await caughtUp();
    for (const { port } of house.cluster.plan.nodes) {
      const node = openDatabase(house.cluster.simulatorsUrlAt(port));
      const beside = `${tableSql(db, wordsName(name))} w`;
      const counted = await rowsOf(
        node.knex,
        `select (select count(*) from ${beside}) as n, (select count(*) from ${beside} where match (w.words) against ('+lament*' in boolean mode)) as found`,
      );
      const expected = { n: records, found: Math.floor(records / 3) };
      expect(counted.map(({ n, found }) => ({ n: Number(n), found: Number(found) }))).toEqual([
        expected,
      ]);
      await endDatabase(node);
    }
  });
});
