import { say } from '../words/say';
import { isNumber } from './feel';
import { durationOf } from '../values/duration';
import { Temporal } from 'temporal-polyfill';
import {
  idsOf,
  plainText,
  rowsIn,
  severalIn,
  type KeptRow,
  type RowColumn,
  type Value,
  type ValueType,
} from '../values/types';
import {
  Context,
  DaysDuration,
  Decimal,
  MonthsDuration,
  readFeelDateTime,
  readFeelDuration,
  toText,
  type Feel,
} from './feel';
import * as kinds from './kinds';
import type { Kind } from './kinds';

/** The kind of a type; of several records only the ids are known. Single references are told by whoever knows the tables. */
export function kindOfType(type: ValueType): Kind {
  switch (type.kind) {
    case 'whole':
    case 'decimal':
      return kinds.number;
    case 'yes_no':
      return kinds.yesNo;
    case 'date':
      return kinds.date;
    case 'time':
      return kinds.time;
    case 'date_time':
      return kinds.dateTime;
    case 'duration':
      return kinds.days;
    case 'reference':
      return kinds.number;
    case 'references':
      return kinds.listOf(kinds.number);
    case 'rows':
      return kinds.listOf(rowKind(type.columns));
    case 'files':
      return kinds.listOf(rowKind(fileColumns));
    default:
      return kinds.text;
  }
}

/** A canonical value as formulas take it. A reference becomes the number of its record. */
export function toFeel(type: ValueType, value: Value): Feel {
  if (value === null) return null;
  switch (type.kind) {
    case 'whole':
    case 'decimal':
    case 'reference':
      return new Decimal(value as string | number);
    case 'date':
      return Temporal.PlainDate.from(String(value));
    case 'time':
      return Temporal.PlainTime.from(String(value));
    case 'date_time':
      return readFeelDateTime(String(value));
    case 'duration':
      return readFeelDuration(String(value));
    case 'references':
      return idsOf(value).map((id) => new Decimal(id));
    case 'rows':
      return rowsIn(value).map((row) => rowContext(type.columns, row));
    case 'files':
      return rowsIn(value).map((row) => rowContext(fileColumns, row));
    default:
      return value as string | boolean;
  }
}

/** What formulas know of a file. */
const fileColumns: readonly RowColumn[] = [
  { key: 'name', label: 'name', type: plainText, required: true },
  { key: 'type', label: 'type', type: plainText, required: true },
  { key: 'size', label: 'size', type: { kind: 'whole' }, required: true },
];

function rowContext(columns: readonly RowColumn[], row: KeptRow): Context {
  const members = columns.map((column) => {
    return [column.key, toFeel(column.type, row[column.key] ?? null)] as const;
  });
  return new Context(new Map(members));
}

/** The kind of one of the rows that a record keeps. */
function rowKind(columns: readonly RowColumn[]): Kind {
  const members = new Map(columns.map(({ key, type }) => [key, kindOfType(type)]));
  return {
    is: 'record',
    called: say('a row'),
    of: '{}',
    member: (key) => members.get(key) ?? null,
    members: () => [...members.keys()],
    path: null,
  };
}

/**
 * A formula's result as text or value that a field of `type` can check: numbers rounded half up to the
 * places that the type holds. `undefined` where the kinds do not go together.
 */
export function fromFeel(type: ValueType, result: Feel): Value | undefined {
  if (result === null) return null;
  switch (type.kind) {
    case 'whole':
    case 'reference':
      if (!isNumber(result)) return undefined;
      return result.toDecimalPlaces(0, Decimal.ROUND_HALF_UP).toNumber();
    case 'decimal': {
      if (!isNumber(result)) return undefined;
      const fixed = result.toFixed(type.scale, Decimal.ROUND_HALF_UP);
      return /^-0(\.0*)?$/.test(fixed) ? fixed.slice(1) : fixed;
    }
    case 'yes_no':
      return typeof result === 'boolean' ? result : undefined;
    case 'date':
      if (result instanceof Temporal.PlainDateTime) return result.toPlainDate().toString();
      return result instanceof Temporal.PlainDate ? result.toString() : undefined;
    case 'time':
      if (!(result instanceof Temporal.PlainTime)) return undefined;
      return result.toString({ smallestUnit: 'second' });
    case 'date_time':
      return result instanceof Temporal.PlainDateTime ? (toText(result) ?? null) : undefined;
    case 'duration':
      if (!(result instanceof DaysDuration)) return undefined;
      return durationOf(Math.round(result.milliseconds / 1000));
    case 'text':
    case 'long_text':
      return typeof result === 'string' ? result : undefined;
    case 'option':
    case 'code':
      return typeof result === 'string' ? result : undefined;
    case 'references':
    case 'rows':
    case 'files':
      return undefined;
  }
}

/** Whether a formula of this kind can be the value of a field of `type`. */
export function kindFitsType(kind: Kind, type: ValueType): boolean {
  if (kind.is === 'any' || kind.is === 'nothing') return true;
  if (type.kind === 'reference') return kind.is === 'record' && kind.of === type.table;
  if (severalIn(type)) return false;
  return kind.is === kindOfType(type).is || (type.kind === 'date' && kind.is === 'date_time');
}

/** A formula's result for people, where no field's type says more. */
export function shownFeel(result: Feel): string {
  if (result === null) return '–';
  if (typeof result === 'boolean') return result ? 'yes' : 'no';
  if (result instanceof DaysDuration) {
    const days = result.milliseconds / 86_400_000;
    if (Number.isInteger(days)) return `${days} ${Math.abs(days) === 1 ? 'day' : 'days'}`;
  }
  if (result instanceof MonthsDuration) {
    return `${result.months} ${Math.abs(result.months) === 1 ? 'month' : 'months'}`;
  }
  return toText(result) ?? '–';
}
