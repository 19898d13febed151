declare module 'knex/lib/dialects/mysql2/index.js' {
  /** Knex's client for the mysql2 driver; `_query` is where a dialect sends a query. */
  interface Sent {
    sql: string;
    bindings?: readonly unknown[];
    options?: object;
    response?: [rows: unknown, fields: unknown];
  }
  export default class MySql2Client {
    _query(connection: object, query: Sent): Promise<Sent>;
    acquireRawConnection(): Promise<object>;
    destroyRawConnection(connection: object): Promise<void>;
  }
}
