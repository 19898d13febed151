import type { Value, ValueType } from '$lib/core/values/types';

/** A canonical value as the driver binds it. */
export function toDatabase(type: ValueType, value: Value): string | number | null {
  if (value === null) return null;
  if (type.kind === 'yes_no') return value === true ? 1 : 0;
  if (type.kind === 'date_time') return String(value).replace('T', ' ').replace('Z', '');
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
    case 'date_time':
      return `${String(stored).slice(0, 19).replace(' ', 'T')}Z`;
    default:
      return String(stored);
  }
}
