import { z } from 'zod';
import { sameValue, valueSchema, type Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import type { WiredScope } from '../wiring/wired';

const valuesSchema = z.record(z.string(), valueSchema);

/** A record of a table as it was read: its values by column, and the version that they belong to. */
export const storedSchema = z.object({
  id: z.number().int(),
  version: z.number().int(),
  values: valuesSchema,
  /** Of a sheet: the rows that hold its answers, by the column as which the engine sees each. */
  answers: z
    .record(
      z.string(),
      z.object({ table: z.string(), id: z.number().int(), version: z.number().int() }),
    )
    .optional(),
});
export type StoredRecord = z.infer<typeof storedSchema>;

/** A stored record with the rows of its grids, as a form opens it; values by field. */
export const openedSchema = z.object({
  stored: storedSchema,
  values: valuesSchema,
  rows: z.record(
    z.string(),
    z.array(
      z.object({
        stored: storedSchema,
        values: valuesSchema,
        /** The key of the row that it stands in, for a grid within another. */
        of: z.string().optional(),
      }),
    ),
  ),
});
export type OpenedRecord = z.infer<typeof openedSchema>;
/** A stored row of a grid. */
export type OpenedRow = OpenedRecord['rows'][string][number];

/** What fields hold of a stored record: those that save to a column of it. */
export function fieldValues(scope: WiredScope, stored: StoredRecord): Record<string, Value> {
  return Object.fromEntries(
    scope.list.map(({ field }) => [
      field.key,
      field.savesTo === null ? null : (stored.values[field.savesTo] ?? null),
    ]),
  );
}

/** The key of a stored row among the rows of its grid. */
export function rowKey({ id }: Pick<StoredRecord, 'id'>): string {
  return `#${id}`;
}

/** The columns of a record whose values are others now, by what the fields of a scope hold. */
export function changedColumns(
  scope: WiredScope,
  stored: StoredRecord,
  value: (field: string) => Value,
): Record<string, Value> {
  const changed: Record<string, Value> = {};
  for (const { field } of scope.list) {
    if (field.savesTo === null) continue;
    const now = value(field.key);
    if (!sameValue(now, stored.values[field.savesTo] ?? null)) changed[field.savesTo] = now;
  }
  return changed;
}

/** The scope of a grid, or of the form itself; throws where there is none. */
export function scopeIn(form: WiredForm, key: string): WiredScope {
  const scope = form.scopes.get(key);
  if (!scope) throw new RangeError(`no grid ${key}`);
  return scope;
}
