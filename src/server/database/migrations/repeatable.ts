import type { Knex } from 'knex';

/**
 * Runs what a migration builds so that it can be run again: a process may be killed between any two
 * statements, and the database keeps what it has done so far.
 */
export async function repeatable(knex: Knex, built: Knex.SchemaBuilder): Promise<void> {
  for (const { sql, bindings } of built.toSQL() as unknown as {
    sql: string;
    bindings?: unknown[];
  }[]) {
    try {
      await knex.raw(guarded(sql), (bindings ?? []) as Knex.RawBinding[]);
    } catch (error) {
      if (!hasPrimary(error)) throw error;
    }
  }
}

/** Whether the table has its primary key already, which no statement can ask for. */
function hasPrimary(error: unknown): boolean {
  return (error as { code?: string }).code === 'ER_MULTIPLE_PRI_KEY';
}

/** A statement that does nothing where it was done before. */
function guarded(sql: string): string {
  return sql
    .replace(/^create table (?!if not)/i, 'create table if not exists ')
    .replace(/\badd (unique|index) (?!key|if)/gi, (_, kind: string) =>
      kind.toLowerCase() === 'unique'
        ? 'add unique key if not exists '
        : 'add index if not exists ',
    )
    .replace(
      /\badd constraint (\S+) foreign key \(/gi,
      'add constraint $1 foreign key if not exists (',
    )
    .replace(
      /\badd (?!unique|index|constraint|primary|column|if)(`)/gi,
      'add column if not exists $1',
    );
}
