import type { Knex } from 'knex';
import type { Database } from '../../src/server/database/connection';

interface Raw {
  query(...words: unknown[]): unknown;
  destroy(): void;
}

/**
 * Lets a process die for its database before it sends so many statements more: its connections are torn, and whatever
 * it still asks is refused, as after a `kill -9`. Gives whether it has come to that.
 */
export function diesAfter(db: Database, statements: number): { dead(): boolean } {
  const open = new Set<Raw>();
  let left = statements;
  let dead = false;
  const gone = () => Object.assign(new Error('killed'), { code: 'PROTOCOL_CONNECTION_LOST' });
  for (const { client } of [db.knex, db.long] as Knex[]) {
    client.logger = { warn: () => undefined, error: () => undefined, debug: () => undefined };
    const acquire = client.acquireRawConnection.bind(client) as () => Promise<Raw>;
    client.acquireRawConnection = async () => {
      if (dead) throw gone();
      const connection = await acquire();
      open.add(connection);
      const query = connection.query.bind(connection);
      connection.query = (...words) => {
        const [first] = words;
        const sql = typeof first === 'string' ? first : (first as { sql: string }).sql;
        const done = words.findLast((word) => typeof word === 'function') as (e: Error) => void;
        if (!dead && !/^\s*set (session|transaction)/i.test(sql) && left-- <= 0) {
          dead = true;
          for (const one of open) one.destroy();
        }
        if (!dead) return query(...words);
        return void queueMicrotask(() => done(gone()));
      };
      return connection;
    };
  }
  return { dead: () => dead };
}
