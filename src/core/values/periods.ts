import { dayAfter, isDate } from './dates';

/** Days from one to another, both included (ISO 8601); `null` is open. */
export interface Period {
  from: string | null;
  to: string | null;
}

/**
 * With what a period is compared: the days right before it, as many, or the same days a year earlier; `null` where
 * there are none.
 */
export function comparedWith({ from, to }: Period, how: 'before' | 'year'): Period | null {
  if (how === 'year') {
    if (from === null && to === null) return null;
    // Without an end the year before ends where this one begins.
    const end = to === null ? from && dayAfter(from, -1) : yearBefore(to);
    return { from: from && yearBefore(from), to: end };
  }
  if (from === null || to === null || from > to) return null;
  const days = Math.round((Date.parse(to) - Date.parse(from)) / 86_400_000) + 1;
  return { from: dayAfter(from, -days), to: dayAfter(from, -1) };
}

/** The same day a year earlier; the 29th of February is the 28th. */
function yearBefore(day: string): string {
  const [year = '', month = '', date = ''] = day.split('-');
  const before = `${String(Number(year) - 1).padStart(4, '0')}-${month}-${date}`;
  return isDate(before) ? before : before.replace(/29$/, '28');
}
