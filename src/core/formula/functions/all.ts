import { Decimal, compare, FeelRange, isRecord, type Feel } from '../feel';
import { any, number, text, yesNo } from '../kinds';
import { dateFunctions } from './dates';
import { listFunctions } from './lists';
import { numberFunctions } from './numbers';
import type { FeelFunctions } from './signature';
import { textFunctions } from './texts';

const otherFunctions: FeelFunctions = {
  not: {
    takes: [yesNo],
    gives: yesNo,
    does: 'the opposite',
    run: ([value]) => (typeof value === 'boolean' ? !value : null),
  },
  number: {
    takes: [text, text, text],
    optional: 2,
    gives: number,
    does: 'a number from a text; with the signs for groups and decimals, where they are others',
    run: ([given, group, point], frame) => {
      let written = (given as string).trim();
      if (group !== undefined) written = written.replaceAll(group as string, '');
      if (point !== undefined) written = written.replace(point as string, '.');
      if (!/^[+-]?(\d{1,40}(\.\d{1,40})?|\.\d{1,40})$/.test(written)) {
        return frame.warn('not_a_number');
      }
      return new Decimal(written);
    },
  },
  'get value': {
    takes: [any, text],
    gives: any,
    does: 'a member of a context by its name',
    run: ([from, key]) => {
      const record = from ?? null;
      return isRecord(record) ? record.member(key as string) : null;
    },
  },
  'is defined': {
    takes: [any],
    gives: yesNo,
    withAbsent: true,
    does: 'whether there is a value',
    run: ([value]) => (value ?? null) !== null,
  },
  before: order('whether the first is before the second', (a, b) => a < b),
  after: order('whether the first is after the second', (a, b) => a > b),
  includes: {
    takes: [any, any],
    gives: yesNo,
    does: 'whether a range holds a value',
    run: ([range, value], frame) =>
      range instanceof FeelRange ? within(range, value ?? null) : frame.warn('wrong_kind'),
  },
};

/** Every function that formulas know, by name. */
export const functions: FeelFunctions = {
  ...numberFunctions,
  ...textFunctions,
  ...listFunctions,
  ...dateFunctions,
  ...otherFunctions,
};

/** Whether a value lies in a range; `null` where it cannot be compared with its ends. */
export function within(range: FeelRange, value: Feel): boolean | null {
  const low = range.low === null ? 1 : compare(value, range.low);
  const high = range.high === null ? -1 : compare(value, range.high);
  if (low === null || high === null) return null;
  return (low > 0 || (range.withLow && low === 0)) && (high < 0 || (range.withHigh && high === 0));
}

function order(does: string, holds: (a: number, b: number) => boolean): FeelFunctions[string] {
  return {
    takes: [any, any],
    gives: yesNo,
    does,
    run: ([a, b]) => {
      const found = compare(a ?? null, b ?? null);
      return found === null ? null : holds(found, 0);
    },
  };
}
