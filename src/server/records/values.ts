import { durationOf, secondsOf } from '$lib/core/values/duration';
import type { KeptRow, Value, ValueType } from '$lib/core/values/types';
import { parseJson } from '../database/json';

/** A canonical value as the driver binds it. */
export function toDatabase(type: ValueType, value: Value): string | number | null {
  if (value === null) return null;
  if (type.kind === 'yes_no') return value === true ? 1 : 0;
  if (type.kind === 'date_time') return String(value).replace('T', ' ').replace('Z', '');
  if (type.kind === 'duration') return secondsOf(String(value));
  if (typeof value === 'object') return JSON.stringify(value);
  return typeof value === 'boolean' ? Number(value) : value;
}

/** What the driver gives, as a canonical value. */
export function fromDatabase(type: ValueType, stored: unknown): Value {
  if (stored === null || stored === undefined) return null;
  switch (type.kind) {
    case 'yes_no':
      return Number(stored) === 1;
    case 'whole':
    case 'reference':
      return Number(stored);
    case 'duration':
      return durationOf(Number(stored));
    case 'references':
      return readIds(String(stored));
    case 'rows':
    case 'files':
      return readRows(stored);
    case 'date_time':
      return `${String(stored).slice(0, 19).replace(' ', 'T')}Z`;
    default:
      return String(stored);
  }
}

/** Ids as the database lists them: `3,17`. */
function readIds(listed: string): readonly number[] | null {
  return listed === '' ? null : listed.split(',').map(Number);
}

/** JSON columns come as text or parsed, as the driver sees fit; an empty list is absent. */
function readRows(stored: unknown): readonly KeptRow[] | null {
  const rows = parseJson(stored) as readonly KeptRow[];
  return rows.length === 0 ? null : rows;
}
