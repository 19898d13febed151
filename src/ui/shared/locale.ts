import { localeReading } from '$lib/core/values/locale-reading';
import type { Reading } from '$lib/core/values/reading';
import { reader } from '$lib/core/words/reader';
import { dayIn } from '$lib/core/values/dates';

/** How numbers and dates that the reader types are to be read, today. */
export function reading(): Reading {
  const { locale, zone } = reader();
  return { ...localeReading(locale, zone), today: dayIn(zone, new Date()) };
}
