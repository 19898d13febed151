/**
 * A duration in days, hours, minutes and seconds, as hours of work are counted. In canonical form it is what
 * FEEL writes (`P1DT2H30M`, `PT45M`, `PT0S`, `-PT15M`): a days and time duration of XML Schema, in whole
 * seconds, its parts as large as they go. https://www.w3.org/TR/xmlschema11-2/#dayTimeDuration
 */

/** The longest duration, in seconds: 100,000 years, as FEEL's. */
export const longestDuration = 366 * 100_000 * 86_400;

const canonical = /^(-?)P(?:(\d{1,8})D)?(?:T(?:(\d{1,12})H)?(?:(\d{1,12})M)?(?:(\d{1,13})S)?)?$/;

/** The seconds of a duration as ISO 8601 writes it; `null` for anything else. Any size of part is taken. */
export function secondsOf(written: string): number | null {
  const match = canonical.exec(written);
  if (!match || !/\d/.test(written) || written.endsWith('T')) return null;
  const [, sign, days = '0', hours = '0', minutes = '0', seconds = '0'] = match;
  const total =
    Number(days) * 86_400 + Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds);
  if (total > longestDuration) return null;
  return sign === '-' && total !== 0 ? -total : total;
}

/** A duration of so many whole seconds in canonical form. */
export function durationOf(seconds: number): string {
  const left = Math.abs(seconds);
  const days = Math.floor(left / 86_400);
  const parts = [
    [Math.floor(left / 3600) % 24, 'H'],
    [Math.floor(left / 60) % 60, 'M'],
    [left % 60, 'S'],
  ] as const;
  const time = parts.flatMap(([n, unit]) => (n === 0 ? [] : [`${n}${unit}`])).join('');
  if (days === 0 && time === '') return 'PT0S';
  return `${seconds < 0 ? '-' : ''}P${days === 0 ? '' : `${days}D`}${time === '' ? '' : `T${time}`}`;
}

/** Hours and minutes as people read them, hours as many as there are: `26:30`, `0:45`, `−1:15`, with seconds only where there are any. */
export function hoursText(seconds: number): string {
  const left = Math.abs(seconds);
  const two = (n: number) => String(n).padStart(2, '0');
  const clock = `${Math.floor(left / 3600)}:${two(Math.floor(left / 60) % 60)}`;
  return `${seconds < 0 ? '-' : ''}${clock}${left % 60 === 0 ? '' : `:${two(left % 60)}`}`;
}

/** How parts can be written: the word, in seconds. */
const units: readonly [RegExp, number][] = [
  [/^(d|days?|tage?|tg|j|jours?)$/, 86_400],
  [/^(h|hrs?|hours?|std|stunden?|heures?)$/, 3600],
  [/^(m|mins?|minutes?|minuten?)$/, 60],
  [/^(s|secs?|seconds?|sek|sekunden?|secondes?)$/, 1],
];

/**
 * The seconds of a duration as somebody writes it: `1:30`, `1:30:15`, `1 h 30 min`, `1h30`, `90 min`, `1.5 h`,
 * `2 days`, a plain number of hours, or ISO 8601. `decimal` is the sign before a fraction. `null` where it is
 * none, or no whole seconds.
 */
export function readDuration(written: string, decimal = '.'): number | null {
  const text = written.trim().replace(/[−–]/g, '-').toLowerCase();
  const iso = secondsOf(text.toUpperCase());
  if (iso !== null) return iso;
  const negative = text.startsWith('-');
  const seconds = readParts(text.replace(/^[+-]\s*/, ''), decimal);
  if (seconds === null || seconds > longestDuration) return null;
  return negative && seconds !== 0 ? -seconds : seconds;
}

function readParts(text: string, decimal: string): number | null {
  const clock = /^(\d{1,10}):([0-5]\d)(?::([0-5]\d))?(?:\s*h)?$/.exec(text);
  if (clock) {
    const [, hours = '0', minutes = '0', seconds = '0'] = clock;
    return Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds);
  }
  const parts = [...text.matchAll(/(\d{1,12})(?:([.,])(\d{1,6}))?\s*([\p{L}]*)\.?\s*/gu)];
  if (parts.length === 0 || parts.map(([part]) => part).join('') !== text) return null;
  let total = 0;
  let last = Infinity;
  for (const [i, [, whole = '', sign, fraction = '', word = '']] of parts.entries()) {
    if (sign !== undefined && sign !== decimal) return null;
    const unit = word === '' ? unsaidUnit(i, last) : unitOf(word);
    if (unit === null || unit >= last) return null;
    last = unit;
    const scaled =
      Number(whole) * unit + (fraction ? (Number(fraction) * unit) / 10 ** fraction.length : 0);
    if (!Number.isInteger(Math.round(scaled * 1e6) / 1e6)) return null;
    total += Math.round(scaled);
  }
  return total;
}

/** Alone a number is hours; behind hours it is minutes, as in `1h30`, and behind minutes seconds. */
function unsaidUnit(i: number, last: number): number | null {
  if (i === 0) return 3600;
  return last === 3600 || last === 60 ? last / 60 : null;
}

function unitOf(word: string): number | null {
  return units.find(([pattern]) => pattern.test(word))?.[1] ?? null;
}
