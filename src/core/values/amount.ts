import { Decimal } from 'decimal.js';
import { durationOf, secondsOf } from './duration';
import type { Value, ValueType } from './types';

/** What a value adds to a sum: the number itself, the seconds of a duration; `null` for what has no sum. */
export function amountOf(type: ValueType, value: Value): Decimal | null {
  if (value === null || typeof value === 'object' || typeof value === 'boolean') return null;
  switch (type.kind) {
    case 'whole':
    case 'decimal':
      return /^-?\d+(\.\d+)?$/.test(String(value)) ? new Decimal(value) : null;
    case 'duration': {
      const seconds = secondsOf(String(value));
      return seconds === null ? null : new Decimal(seconds);
    }
    default:
      return null;
  }
}

/** An amount as a value of a type, rounded half up to what the type can hold. */
export function valueOfAmount(type: ValueType, amount: Decimal): Value {
  const whole = () => amount.toDecimalPlaces(0, Decimal.ROUND_HALF_UP).toNumber();
  switch (type.kind) {
    case 'decimal':
      return amount.toFixed(type.scale, Decimal.ROUND_HALF_UP);
    case 'duration':
      return durationOf(whole());
    default:
      return whole();
  }
}

/** The type of an average: of numbers with four places, of durations in whole seconds. */
export function averageType(type: ValueType | null): ValueType {
  return type?.kind === 'duration' ? type : { kind: 'decimal', precision: 38, scale: 4 };
}
