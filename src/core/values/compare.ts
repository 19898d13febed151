import { Decimal } from 'decimal.js';
import { idsOf, rowsIn, type Value, type ValueType } from './types';

/**
 * The order of two canonical values of one type: below, at or above zero. Absent values come first;
 * texts go by the alphabet of `locale`, options in the order of their list, several records and rows by
 * how many there are.
 */
export function compareValues(type: ValueType, a: Value, b: Value, locale = 'en'): number {
  if (a === null || b === null) return Number(a !== null) - Number(b !== null);
  switch (type.kind) {
    case 'whole':
    case 'decimal':
    case 'reference':
      return new Decimal(a as string | number).comparedTo(new Decimal(b as string | number));
    case 'references':
      return idsOf(a).length - idsOf(b).length;
    case 'rows':
      return rowsIn(a).length - rowsIn(b).length;
    case 'option': {
      const place = (value: Value) => type.options.findIndex((option) => option.value === value);
      return place(a) - place(b);
    }
    case 'text':
    case 'long_text':
    case 'code':
      return String(a).localeCompare(String(b), locale, { numeric: true });
    default:
      return a < b ? -1 : a > b ? 1 : 0;
  }
}
