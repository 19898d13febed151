import { isNumber } from './feel';
import { Temporal } from 'temporal-polyfill';
import {
  DaysDuration,
  Decimal,
  kindOf,
  lastingDays,
  lastingMonths,
  MonthsDuration,
  type Feel,
} from './feel';
import type { Frame } from './frame';
import type { Kind, SimpleKind } from './kinds';
import type { ArithmeticSign } from './syntax';

type Operands = `${SimpleKind} ${ArithmeticSign} ${SimpleKind}`;
type Work = { gives: SimpleKind; run: (a: never, b: never) => Feel };

/** What each sign does with operands of which kinds (DMN 1.5, tables 50 to 53). */
const works: Partial<Record<Operands, Work>> = {
  'number + number': work('number', (a: Decimal, b: Decimal) => finite(a.plus(b))),
  'number - number': work('number', (a: Decimal, b: Decimal) => finite(a.minus(b))),
  'number * number': work('number', (a: Decimal, b: Decimal) => finite(a.times(b))),
  'number / number': work('number', (a: Decimal, b: Decimal) => finite(a.dividedBy(b))),
  'number ** number': work('number', power),
  'text + text': work('text', (a: string, b: string) => (a.length + b.length > 1e6 ? null : a + b)),
  'date + days': work('date', (a: Temporal.PlainDate, b: DaysDuration) => moved(a, b, 1)),
  'date - days': work('date', (a: Temporal.PlainDate, b: DaysDuration) => moved(a, b, -1)),
  'date + months': work('date', (a: Temporal.PlainDate, b: MonthsDuration) => shifted(a, b, 1)),
  'date - months': work('date', (a: Temporal.PlainDate, b: MonthsDuration) => shifted(a, b, -1)),
  'date - date': work('days', (a: Temporal.PlainDate, b: Temporal.PlainDate) => {
    return new DaysDuration(b.until(a, { largestUnit: 'day' }).days * 86_400_000);
  }),
  'date - date_time': work('days', (a: Temporal.PlainDate, b: Temporal.PlainDateTime) =>
    between(b, a.toPlainDateTime()),
  ),
  'date_time - date': work('days', (a: Temporal.PlainDateTime, b: Temporal.PlainDate) =>
    between(b.toPlainDateTime(), a),
  ),
  'date_time + days': work('date_time', (a: Temporal.PlainDateTime, b: DaysDuration) =>
    dated(() => a.add(exactly(b))),
  ),
  'date_time - days': work('date_time', (a: Temporal.PlainDateTime, b: DaysDuration) =>
    dated(() => a.subtract(exactly(b))),
  ),
  'date_time + months': work('date_time', (a: Temporal.PlainDateTime, b: MonthsDuration) =>
    dated(() => a.add({ months: b.months })),
  ),
  'date_time - months': work('date_time', (a: Temporal.PlainDateTime, b: MonthsDuration) =>
    dated(() => a.subtract({ months: b.months })),
  ),
  'date_time - date_time': work('days', (a: Temporal.PlainDateTime, b: Temporal.PlainDateTime) => {
    return between(b, a);
  }),
  'time + days': work('time', (a: Temporal.PlainTime, b: DaysDuration) => a.add(exactly(b))),
  'time - days': work('time', (a: Temporal.PlainTime, b: DaysDuration) => a.subtract(exactly(b))),
  'time - time': work('days', (a: Temporal.PlainTime, b: Temporal.PlainTime) => {
    return new DaysDuration(b.until(a).total('milliseconds'));
  }),
  'days + days': work('days', (a: DaysDuration, b: DaysDuration) => {
    return lasting(a.milliseconds + b.milliseconds);
  }),
  'days - days': work('days', (a: DaysDuration, b: DaysDuration) => {
    return lasting(a.milliseconds - b.milliseconds);
  }),
  'days * number': work('days', (a: DaysDuration, b: Decimal) => {
    return lasting(b.times(a.milliseconds).toNumber());
  }),
  'days / number': work('days', (a: DaysDuration, b: Decimal) => {
    return lasting(new Decimal(a.milliseconds).dividedBy(b).toNumber());
  }),
  'days / days': work('number', (a: DaysDuration, b: DaysDuration) => {
    return new Decimal(a.milliseconds).dividedBy(b.milliseconds);
  }),
  'months + months': work('months', (a: MonthsDuration, b: MonthsDuration) => {
    return lastingMonths(a.months + b.months);
  }),
  'months - months': work('months', (a: MonthsDuration, b: MonthsDuration) => {
    return lastingMonths(a.months - b.months);
  }),
  'months * number': work('months', (a: MonthsDuration, b: Decimal) => {
    return inMonths(b.times(a.months));
  }),
  'months / number': work('months', (a: MonthsDuration, b: Decimal) => {
    return inMonths(new Decimal(a.months).dividedBy(b));
  }),
  'months / months': work('number', (a: MonthsDuration, b: MonthsDuration) => {
    return new Decimal(a.months).dividedBy(b.months);
  }),
};

/** What a sign takes, for a hint. */
export const takenBySign: Record<ArithmeticSign, string> = {
  '+': 'two numbers, two texts, or a date and a duration',
  '-': 'two numbers, two dates, or a date and a duration',
  '*': 'two numbers, or a duration and a number',
  '/': 'two numbers, or a duration and a number',
  '**': 'two numbers',
};

/** The kind of the result; `null` where the sign does not take these kinds. */
export function arithmeticKind(sign: ArithmeticSign, left: Kind, right: Kind): Kind | null {
  if (left.is === 'nothing' || right.is === 'nothing') return { is: 'nothing' };
  if (left.is === 'any' || right.is === 'any') return { is: 'any' };
  const found = find(sign, left.is, right.is);
  return found && { is: found.work.gives };
}

/** Works out `a sign b` for values of any kinds. */
export function arithmetic(sign: ArithmeticSign, a: Feel, b: Feel, frame: Frame<unknown>): Feel {
  if (a === null || b === null) return null;
  const found = find(sign, kindOf(a), kindOf(b));
  if (!found) return frame.warn('wrong_kind');
  const [left, right] = found.swapped ? [b, a] : [a, b];
  if (sign === '/' && isZero(right)) return frame.warn('division_by_zero');
  if (typeof left === 'string') frame.spend(left.length / 100);
  return (found.work.run as (a: Feel, b: Feel) => Feel)(left, right);
}

function find(
  sign: ArithmeticSign,
  left: Kind['is'],
  right: Kind['is'],
): { work: Work; swapped: boolean } | null {
  const straight = works[`${left} ${sign} ${right}` as Operands];
  if (straight) return { work: straight, swapped: false };
  const commutes = (sign === '+' || sign === '*') && left !== right;
  const turned = commutes ? works[`${right} ${sign} ${left}` as Operands] : undefined;
  return turned ? { work: turned, swapped: true } : null;
}

function isZero(value: Feel): boolean {
  if (value instanceof DaysDuration) return value.milliseconds === 0;
  if (value instanceof MonthsDuration) return value.months === 0;
  return isNumber(value) && value.isZero();
}

function work<A extends Feel, B extends Feel>(gives: SimpleKind, run: (a: A, b: B) => Feel): Work {
  return { gives, run };
}

function between(from: Temporal.PlainDateTime, to: Temporal.PlainDateTime): Feel {
  return new DaysDuration(from.until(to, { largestUnit: 'day' }).total('milliseconds'));
}

/** A number that is too large is absent. */
export function finite(n: Decimal): Decimal | null {
  return n.isFinite() ? n : null;
}

/** A duration as dates and times take it. */
function exactly({ milliseconds }: DaysDuration): { milliseconds: number; nanoseconds: number } {
  const whole = Math.trunc(milliseconds);
  return { milliseconds: whole, nanoseconds: Math.round((milliseconds - whole) * 1e6) };
}

/** Powers of a size that could not be held, or that would take long, are absent. */
function power(base: Decimal, exponent: Decimal): Feel {
  if (exponent.abs().greaterThan(1000)) return null;
  return finite(base.pow(exponent));
}

/** A date moved by days and hours: a part of a day does not reach the next. */
function moved(day: Temporal.PlainDate, by: DaysDuration, sign: 1 | -1): Feel {
  return dated(() =>
    day
      .toPlainDateTime()
      .add({ milliseconds: sign * by.milliseconds })
      .toPlainDate(),
  );
}

function shifted(day: Temporal.PlainDate, by: MonthsDuration, sign: 1 | -1): Feel {
  return dated(() => day.add({ months: sign * by.months }));
}

/** A date outside of the years 1 to 9999 is absent. */
function dated<T extends Temporal.PlainDate | Temporal.PlainDateTime>(make: () => T): T | null {
  try {
    const made = make();
    return made.year >= 1 && made.year <= 9999 ? made : null;
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

function lasting(milliseconds: number): Feel {
  const whole = Math.trunc(milliseconds);
  return Number.isSafeInteger(whole) ? lastingDays(whole) : null;
}

function inMonths(months: Decimal): Feel {
  const whole = months.trunc().toNumber();
  return Number.isSafeInteger(whole) ? lastingMonths(whole) : null;
}
