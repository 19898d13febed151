import type { OutsideRow } from '../outside/rows';
import type { Query } from '../outside/query';
import type { Through } from '../plan/schema';
import { sameValue, type Scalar, type Value } from '../values/types';
import { type Entry } from './entry';
import { isClosed } from './host-state';

/** An outside record as a form that passes through shows it. */
export interface ThroughRecord {
  /** By which it was asked for. */
  key: string;
  /** Values by field. */
  values: Record<string, Value>;
  /** The version of it, as the system names it; `null` where it names none. */
  etag: string | null;
}

/** A field that another person has changed in the outside system since the form was opened. */
export interface ThroughConflict {
  field: string;
  base: Value;
  yours: Value;
  theirs: Value;
}

/** What the fields of a form hold of an outside record. */
export function throughValues({ columns }: Through, row: OutsideRow): Record<string, Value> {
  return Object.fromEntries(
    Object.entries(columns).map(([field, column]) => [field, row[column] ?? null]),
  );
}

/** The fields that a person has changed since the record was read; one that nobody can set is none. */
export function changedThrough(
  { columns }: Through,
  before: Readonly<Record<string, Value>>,
  entry: Entry,
): string[] {
  return Object.keys(columns).filter(
    (field) =>
      entry.form.fields.has(field) &&
      !isClosed(entry.cell(field)) &&
      !sameValue(before[field] ?? null, entry.value(field)),
  );
}

/** What is written back: the given fields, at the places at which they were read. */
export function throughBody(
  { columns }: Through,
  query: Query,
  fields: readonly string[],
  value: (field: string) => Value,
): Record<string, unknown> {
  const body: Record<string, unknown> = {};
  for (const field of fields) {
    const path = query.columns.find(({ key }) => key === columns[field])?.path;
    if (path !== undefined) put(body, path.split('.'), value(field) as Scalar);
  }
  return body;
}

function put(into: Record<string, unknown>, [step = '', ...rest]: string[], value: Scalar): void {
  if (rest.length === 0) {
    into[step] = value;
    return;
  }
  const inner = (into[step] ??= {}) as Record<string, unknown>;
  put(inner, rest, value);
}

/** Where both have changed a field to different values; the rest can stand together. */
export function throughConflicts(
  fields: readonly string[],
  base: Readonly<Record<string, Value>>,
  theirs: Readonly<Record<string, Value>>,
  yours: (field: string) => Value,
): ThroughConflict[] {
  return fields.flatMap((field) => {
    const [was, is, own] = [base[field] ?? null, theirs[field] ?? null, yours(field)];
    if (sameValue(was, is) || sameValue(is, own)) return [];
    return [{ field, base: was, yours: own, theirs: is }];
  });
}
