import { recordsAnswer } from '$lib/core/contract/answers';
import type { Offer } from '$lib/core/entry/asks';
import { problem, type Problem } from '$lib/core/problems';
import type { Table, House } from '$lib/core/table/definition';
import { resolvePath } from '$lib/core/table/paths';
import { plainText, type ValueType } from '$lib/core/values/types';
import { call } from '$lib/ui/shared/api';

/** The records of a table as the choices of a reference column: what a lookup box lists. */
export function referenceList(
  table: Table,
): (search: string, after?: string) => Promise<Offer | Problem> {
  return async (search, after) => {
    const sort = table.display.slice(0, 1).map((path) => ({ path, descending: false }));
    const query = new URLSearchParams({ search, limit: '50', sort: JSON.stringify(sort) });
    if (after) query.set('after', after);
    const called = await call(recordsAnswer, `/api/tables/${table.key}/records?${query}`);
    if (!called.ok) return called.problems[0] ?? problem('unreachable');
    const { records, next, total, more } = called.value;
    const choices = records.map(({ id, values, shown }) => ({
      value: id,
      shown: table.display.map((key) => shown[key] ?? values[key] ?? null),
    }));
    return { id: '', choices, next, found: total, more, current: null };
  };
}

/** The columns of that list. */
export function referenceColumns(
  tables: House,
  table: Table,
): { label: string; type: ValueType }[] {
  return table.display.map((key) => {
    const column = resolvePath(tables, table, key)?.column;
    const type = column?.type.kind === 'reference' ? plainText : (column?.type ?? plainText);
    return { label: column?.label ?? key, type };
  });
}
