import { localeReading } from '$lib/core/values/locale-reading';
import type { Reading } from '$lib/core/values/reading';
import { reader } from '$lib/core/words/reader';
import { parseText } from '$lib/core/values/parse';
import { dayIn } from '$lib/core/values/dates';

/** The day that somebody has typed; `null` where it is none. */
export function readDay(text: string): string | null {
  const parsed = parseText({ kind: 'date' }, text, '', reading());
  return 'value' in parsed && typeof parsed.value === 'string' ? parsed.value : null;
}

/** How numbers and dates that the reader types are to be read, today. */
export function reading(): Reading {
  const { locale, zone } = reader();
  return { ...localeReading(locale, zone), today: dayIn(zone, new Date()) };
}
