/** The order of day, month and year in a written date. */
export type DateOrder = 'ymd' | 'dmy' | 'mdy';

const monthLengths = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];

/** Whether `text` is a date of the Gregorian calendar as ISO 8601 writes it, years 1 to 9999. */
export function isDate(text: string): boolean {
  const match = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text);
  if (!match) return false;
  const [year, month, day] = [Number(match[1]), Number(match[2]), Number(match[3])];
  return year >= 1 && month >= 1 && month <= 12 && day >= 1 && day <= daysIn(year, month);
}

/** Whether `text` is a time of day, `14:30:00`. */
export function isTime(text: string): boolean {
  return /^([01]\d|2[0-3]):[0-5]\d:[0-5]\d$/.test(text);
}

/**
 * Reads a written date: ISO always, otherwise day, month and year in `order`, separated by `.`, `/`
 * or `-`. Gives the ISO date, or `null` where there is no such day.
 */
export function readDate(text: string, order: DateOrder): string | null {
  if (/^\d{4}-\d{2}-\d{2}$/.test(text)) return isDate(text) ? text : null;
  const match = /^(\d{1,4})([./-])(\d{1,2})\2(\d{1,4})$/.exec(text);
  if (!match) return null;
  const [a, b, c] = [match[1] ?? '', match[3] ?? '', match[4] ?? ''];
  const [year, month, day] = { ymd: [a, b, c], dmy: [c, b, a], mdy: [c, a, b] }[order] as [
    string,
    string,
    string,
  ];
  if (year.length !== 4 || day.length > 2) return null;
  const date = `${year}-${month.padStart(2, '0')}-${day.padStart(2, '0')}`;
  return isDate(date) ? date : null;
}

function daysIn(year: number, month: number): number {
  if (month === 2 && year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0)) return 29;
  return monthLengths[month - 1] ?? 0;
}

/** The day that it is in a zone at a moment, as ISO 8601 writes it. */
export function dayIn(zone: string, at: Date): string {
  const parts = dayParts(zone).formatToParts(at);
  const of = (type: string) => parts.find((part) => part.type === type)?.value ?? '';
  return `${of('year').padStart(4, '0')}-${of('month')}-${of('day')}`;
}

const zones = new Map<string, Intl.DateTimeFormat>();

function dayParts(zone: string): Intl.DateTimeFormat {
  const known = zones.get(zone);
  if (known) return known;
  const fresh = new Intl.DateTimeFormat('en', {
    timeZone: zone,
    calendar: 'gregory',
    numberingSystem: 'latn',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
  });
  zones.set(zone, fresh);
  return fresh;
}

/** The day so many days after another one; `null` where the calendar has none. */
export function dayAfter(date: string, days: number): string | null {
  const at = new Date(`${date}T00:00:00Z`);
  at.setUTCDate(at.getUTCDate() + days);
  if (Number.isNaN(at.getTime())) return null;
  const text = at.toISOString().slice(0, 10);
  return isDate(text) ? text : null;
}
