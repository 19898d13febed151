import { say } from '../../words/say';
import { isNumber } from '../feel';
import { Temporal } from 'temporal-polyfill';
import {
  Decimal,
  MonthsDuration,
  readFeelDate,
  readFeelDateTime,
  readFeelDuration,
  readFeelTime,
  type Feel,
} from '../feel';
import * as kinds from '../kinds';
import { any, number, text, type Kind } from '../kinds';
import type { FeelFunction, FeelFunctions } from './signature';

/** The days of a week as ISO 8601 counts them. */
export const dayNames = [
  'Monday',
  'Tuesday',
  'Wednesday',
  'Thursday',
  'Friday',
  'Saturday',
  'Sunday',
];
export const monthNames = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];

type Day = Temporal.PlainDate | Temporal.PlainDateTime;

export const dateFunctions: FeelFunctions = {
  today: {
    parameters: [],
    gives: kinds.date,
    does: () => say('the day it is'),
    run: (_, frame) => readFeelDate(frame.clock.today()),
  },
  now: {
    parameters: [],
    gives: kinds.dateTime,
    does: () => say('the moment it is, in UTC'),
    run: (_, frame) => readFeelDateTime(frame.clock.now()),
  },
  date: {
    parameters: [any, number, number],
    optional: 2,
    gives: kinds.date,
    does: () => say('a date from a text, from a date with a time, or from year, month and day'),
    run: ([from, month, day], frame) => {
      if (typeof from === 'string') return readFeelDate(from) ?? frame.warn('not_a_date');
      if (from instanceof Temporal.PlainDate) return from;
      if (from instanceof Temporal.PlainDateTime) return from.toPlainDate();
      if (!isNumber(from) || !isNumber(month) || !isNumber(day)) return frame.warn('not_a_date');
      const [y, m, d] = [from, month, day].map((n) => n.toFixed());
      const written = `${y?.padStart(4, '0')}-${m?.padStart(2, '0')}-${d?.padStart(2, '0')}`;
      return readFeelDate(written) ?? frame.warn('not_a_date');
    },
  },
  time: {
    parameters: [any, number, number],
    optional: 2,
    gives: kinds.time,
    does: () => say('a time from a text, from a date with a time, or from hour, minute and second'),
    run: ([from, minute, second], frame) => {
      if (typeof from === 'string') return readFeelTime(from) ?? frame.warn('not_a_date');
      if (from instanceof Temporal.PlainTime) return from;
      if (from instanceof Temporal.PlainDateTime) return from.toPlainTime();
      if (!isNumber(from) || !isNumber(minute) || !isNumber(second)) {
        return frame.warn('not_a_date');
      }
      const parts = [from, minute, second].map((n) => n.toFixed().padStart(2, '0'));
      return readFeelTime(parts.join(':')) ?? frame.warn('not_a_date');
    },
  },
  'date and time': {
    parameters: [any, kinds.time],
    optional: 1,
    gives: kinds.dateTime,
    does: () => say('a date with a time, from a text or from a date and a time'),
    run: ([from, at], frame) => {
      if (typeof from === 'string') return readFeelDateTime(from) ?? frame.warn('not_a_date');
      const day = from instanceof Temporal.PlainDateTime ? from.toPlainDate() : from;
      if (!(day instanceof Temporal.PlainDate)) return frame.warn('not_a_date');
      return day.toPlainDateTime(at instanceof Temporal.PlainTime ? at : undefined);
    },
  },
  duration: {
    parameters: [text],
    gives: any,
    does: () => say('a duration from a text: P3D, PT2H, P1Y6M'),
    run: ([written], frame) => readFeelDuration(written as string) ?? frame.warn('not_a_date'),
  },
  'years and months duration': {
    parameters: [any, any],
    gives: kinds.months,
    does: () => say('the whole months from one date to another'),
    run: ([from, to], frame) => {
      if (!isDay(from) || !isDay(to)) return frame.warn('wrong_kind');
      const { months } = plainDay(from).until(plainDay(to), { largestUnit: 'month' });
      return new MonthsDuration(months);
    },
  },
  'day of week': ofDay(
    () => say('the name of the day'),
    text,
    (d) => dayNames[d.dayOfWeek - 1] ?? null,
  ),
  'day of year': ofDay(
    () => say('the day of the year'),
    number,
    (d) => new Decimal(d.dayOfYear),
  ),
  'month of year': ofDay(
    () => say('the name of the month'),
    text,
    (d) => monthNames[d.month - 1] ?? null,
  ),
  'week of year': ofDay(
    () => say('the week of the year (ISO 8601)'),
    number,
    (d) => (d.weekOfYear === undefined ? null : new Decimal(d.weekOfYear)),
  ),
  'last day of month': ofDay(
    () => say('the last day of its month'),
    kinds.date,
    (d) => d.with({ day: d.daysInMonth }),
  ),
};

/** The members of dates, times and durations: `due_on.year`. */
export function temporalMember(kind: Kind['is'], key: string): Kind | null {
  const inDate = ['year', 'month', 'day', 'weekday'];
  const inTime = ['hour', 'minute', 'second'];
  const known: Partial<Record<Kind['is'], string[]>> = {
    date: inDate,
    time: inTime,
    date_time: [...inDate, ...inTime],
    days: ['days', 'hours', 'minutes', 'seconds'],
    months: ['years', 'months'],
  };
  return known[kind]?.includes(key) ? number : null;
}

function isDay(value: Feel | undefined): value is Day {
  return value instanceof Temporal.PlainDate || value instanceof Temporal.PlainDateTime;
}

function plainDay(day: Day): Temporal.PlainDate {
  return day instanceof Temporal.PlainDate ? day : day.toPlainDate();
}

function ofDay(
  does: () => string,
  gives: Kind,
  run: (day: Temporal.PlainDate) => Feel,
): FeelFunction {
  return {
    parameters: [any],
    gives,
    does,
    run: ([day], frame) => (isDay(day) ? run(plainDay(day)) : frame.warn('wrong_kind')),
  };
}
