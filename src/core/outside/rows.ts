import { checkValue, parseText } from '../values/parse';
import type { PlainType, Scalar } from '../values/types';
import { mostOutsideRows, type OutsideColumn, type Query } from './query';

/** A row of an outside answer: values by column, in canonical form. */
export type OutsideRow = Readonly<Record<string, Scalar>>;

/** An answer as rows, and what of it could not be used. */
export interface OutsideRows {
  rows: OutsideRow[];
  /** Rows beyond the bound, which are left out. */
  left: number;
  /** Columns with values that are not of their type; those are absent. */
  misfits: string[];
}

/** Turns an answer into rows; `null` where there is nothing at the place of the rows. */
export function rowsFrom(
  query: Pick<Query, 'rows' | 'columns'>,
  answer: unknown,
): OutsideRows | null {
  const at = valueAt(answer, query.rows);
  if (at === undefined || at === null || typeof at !== 'object') return null;
  const given = Array.isArray(at) ? at : [at];
  const misfits = new Set<string>();
  const rows = given.slice(0, mostOutsideRows).map((raw: unknown) =>
    Object.fromEntries(
      query.columns.map(({ key, label, path, type }) => {
        const value = canonicalFrom(type, valueAt(raw, path));
        if (value === undefined) misfits.add(label);
        return [key, value ?? null];
      }),
    ),
  );
  return { rows, left: Math.max(0, given.length - rows.length), misfits: [...misfits] };
}

/** What stands at a path of names and places: `items[0].contact.name`; `undefined` where nothing does. */
export function valueAt(answer: unknown, path: string): unknown {
  let at = answer;
  for (const step of path.split(/[.[\]]+/).filter((part) => part !== '')) {
    if (typeof at !== 'object' || at === null || !Object.hasOwn(at, step)) return undefined;
    at = (at as Record<string, unknown>)[step];
  }
  return at;
}

/** A value of JSON, SQL or CSV as a value of a type; `undefined` where it is none. */
export function canonicalFrom(type: PlainType, raw: unknown): Scalar | undefined {
  if (raw === null || raw === undefined || raw === '') return null;
  if (typeof raw === 'object') return undefined;
  const given = type.kind === 'decimal' && typeof raw === 'number' ? String(raw) : raw;
  const asIs = checkValue(type, given, '');
  if ('value' in asIs) return asIs.value as Scalar;
  const read = parseText(type, String(raw), '');
  return 'value' in read ? (read.value as Scalar) : undefined;
}

/** Columns as they can be read of a real answer: every plain value of its first row. */
export function proposedColumns(answer: unknown, rows: string): Omit<OutsideColumn, 'key'>[] {
  const at = valueAt(answer, rows);
  const first: unknown = Array.isArray(at) ? at[0] : at;
  const found: Omit<OutsideColumn, 'key'>[] = [];
  const walk = (value: unknown, path: string) => {
    if (found.length >= 40 || value === null || value === undefined) return;
    if (typeof value !== 'object') {
      const label = path.split('.').at(-1)?.replace(/_/g, ' ') ?? path;
      found.push({ label, path, type: typeOf(value) });
    } else if (!Array.isArray(value)) {
      for (const [key, inner] of Object.entries(value)) walk(inner, path ? `${path}.${key}` : key);
    }
  };
  walk(first, '');
  return found;
}

function typeOf(value: unknown): PlainType {
  if (typeof value === 'boolean') return { kind: 'yes_no' };
  if (typeof value === 'number') {
    return Number.isInteger(value)
      ? { kind: 'whole' }
      : { kind: 'decimal', precision: 14, scale: 2 };
  }
  const text = String(value);
  if (/^\d{4}-\d{2}-\d{2}$/.test(text)) return { kind: 'date' };
  return { kind: 'text', format: 'plain', length: 255 };
}
