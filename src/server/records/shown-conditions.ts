import type { Condition } from '$lib/core/table/conditions';
import type { House, Table } from '$lib/core/table/definition';
import { resolvePath } from '$lib/core/table/paths';
import { isLink } from '$lib/core/values/types';
import { unseenRecord } from '$lib/core/words/unseen';
import type { Database } from '../database/connection';
import { shownRecords } from './read';

/** For each condition on a reference the records it compares with, as people know them; otherwise `null`. */
export function shownConditions(
  db: Database,
  tables: House,
  table: Table,
  conditions: readonly Condition[],
): Promise<(string | null)[]> {
  return Promise.all(
    conditions.map(async ({ path, values }) => {
      const type = resolvePath(tables, table, path)?.column.type;
      const to = type && isLink(type) ? tables.get(type.table) : undefined;
      if (!to || values.length === 0) return null;
      const lines = await shownRecords(db, db.knex, tables, to, values.map(Number));
      return values.map((id) => lines.get(Number(id)) ?? unseenRecord()).join(', ');
    }),
  );
}
