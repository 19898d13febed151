import { localeReading } from '$lib/core/values/locale-reading';
import type { Reading } from '$lib/core/values/reading';

/** How the reader writes: the language of the browser; English where there is none, as on the server. */
export function locale(): string {
  return typeof navigator === 'undefined' ? 'en' : navigator.language;
}

/** How numbers and dates that the reader types are to be read. */
export function reading(): Reading {
  return localeReading(locale(), Intl.DateTimeFormat().resolvedOptions().timeZone);
}
