import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Knex } from 'knex';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';
import type { Manifest } from './manifest';
import { reaching, run } from './programs';

/** Names of schemas, each with the one that takes its place. */
export type Renamed = Readonly<Record<string, string>>;

const newline = 10;
const marks = ['USE ', 'CREATE DATABASE '].map((mark) => Buffer.from(mark));
const longestMark = 200;

/**
 * A dump whose schemas go by other names. Lines that name a schema stand on their own; in a text a line never ends,
 * since `mariadb-dump` writes `\n` for it.
 */
export function renaming(names: Renamed): Transform {
  let held: Buffer = Buffer.alloc(0);
  let begins = true;
  const renamed = (line: string) =>
    line.replace(/`([^`]+)`/g, (all, name: string) => (names[name] ? `\`${names[name]}\`` : all));
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      let rest: Buffer = held.length > 0 ? Buffer.concat([held, chunk]) : chunk;
      held = Buffer.alloc(0);
      while (rest.length > 0) {
        const end = rest.indexOf(newline);
        if (begins) {
          // Only where a line has come as far as it takes to say what it is, it is passed on.
          if (end === -1 && rest.length < longestMark) {
            held = rest;
            break;
          }
          if (end !== -1 && marks.some((mark) => rest.subarray(0, mark.length).equals(mark))) {
            this.push(renamed(rest.subarray(0, end + 1).toString('utf8')));
            rest = rest.subarray(end + 1);
            continue;
          }
        }
        const upTo = end === -1 ? rest.length : end + 1;
        this.push(rest.subarray(0, upTo));
        begins = end !== -1;
        rest = rest.subarray(upTo);
      }
      done();
    },
    flush(done) {
      done(null, held);
    },
  });
}

/** Makes schemas that are not there, empty. */
export async function emptySchemas(knex: Knex, schemas: readonly string[]): Promise<void> {
  await dropSchemas(knex, schemas);
  for (const schema of schemas) {
    await knex.raw('create database ?? character set utf8mb4 collate utf8mb4_uca1400_ai_ci', [
      schema,
    ]);
  }
}

export async function dropSchemas(knex: Knex, schemas: readonly string[]): Promise<void> {
  for (const schema of schemas) await knex.raw('drop database if exists ??', [schema]);
}

/** Whether the database keeps a binary log of what is done. */
export async function keepsLog({ knex }: Pick<Database, 'knex'>): Promise<boolean> {
  const [logging] = await rowsOf(knex, 'select @@log_bin as kept');
  return Number(logging?.kept) === 1;
}

/** Loads a compressed dump into schemas that go by other names than its own; nothing of it goes into the binary log. */
export async function loadDump(
  { knex }: Pick<Database, 'knex'>,
  url: string,
  dump: Readable,
  names: Renamed,
): Promise<void> {
  const { args, password } = reaching(url);
  const unpacked = run('zstd', ['-d', '-c', '-q']);
  const quiet = (await keepsLog({ knex })) ? ['--init-command=set session sql_log_bin = 0'] : [];
  const client = run('mariadb', [...args, '--binary-mode', ...quiet], password);
  client.out.resume();
  const work = [
    pipeline(dump, unpacked.in),
    pipeline(unpacked.out, renaming(names), client.in),
    unpacked.ended,
    client.ended,
  ];
  try {
    await Promise.all(work);
  } catch {
    for (const { kill } of [unpacked, client]) kill();
    // The first cause is that of the program that ended by itself.
    const all = await Promise.allSettled([client.ended, unpacked.ended, ...work]);
    throw all.find((one) => one.status === 'rejected')?.reason;
  }
}

/** What is in the tables of a house. */
export async function contentsOf(
  { knex }: Pick<Database, 'knex'>,
  schemas: { catalog: string; records: string },
): Promise<NonNullable<Manifest['tables']>> {
  const found: NonNullable<Manifest['tables']> = [];
  for (const schema of ['catalog', 'records'] as const) {
    const rows = await rowsOf(
      knex,
      `select table_name as name from information_schema.tables
       where table_schema = ? and table_type = 'BASE TABLE' order by table_name`,
      [schemas[schema]],
    );
    for (const { name } of rows) {
      const table = String(name);
      const [[counted]] = await knex.raw(
        'set statement max_statement_time = 0 for select count(*) as n from ??.??',
        [schemas[schema], table],
      );
      const [[summed]] = await knex.raw(
        'set statement max_statement_time = 0 for checksum table ??.??',
        [schemas[schema], table],
      );
      found.push({ schema, table, rows: Number(counted.n), checksum: String(summed.Checksum) });
    }
  }
  return found;
}
