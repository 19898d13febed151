/** The languages in which the words of the house stand; the first is the one they are written in. */
export const languages = ['en', 'de', 'fr'] as const;
export type Language = (typeof languages)[number];

/** What a person can choose for themselves: language, with the way of writing days and numbers. */
export const ownLanguages = ['en-GB', 'en-US', 'de-DE', 'fr-FR'] as const;

/** Who reads: how they write numbers and dates, where they are, and in which language they are spoken to. */
export interface Reader {
  /** BCP 47 tag: how numbers, dates and times are written and read. */
  locale: string;
  /** IANA time zone in which moments are shown and meant. */
  zone: string;
  /** The language of the words around them. */
  language: Language;
}

/** A reader of whom nothing is known. */
export const plainReader: Reader = { locale: 'en', zone: 'UTC', language: 'en' };

let current: () => Reader = () => plainReader;

/** Who reads now: the person at the screen, or the one whose request is being answered. */
export function reader(): Reader {
  return current();
}

/** Says how the reader is found: on the server by request, in the browser once. */
export function readBy(find: () => Reader): void {
  current = find;
}

/**
 * A reader from what a browser says: the first language of an `Accept-Language` header (RFC 9110) that is known for
 * its dates and numbers, and the first of it in which there are words.
 */
export function readerOf(accepted: string | null, zone: string | null): Reader {
  const wanted = (accepted ?? '')
    .split(',')
    .map((part) => {
      const [tag = '', ...parameters] = part.trim().split(';');
      const q = parameters.map((p) => /^\s*q=([\d.]+)$/.exec(p)?.[1]).find(Boolean);
      return { tag: tag.trim(), q: q === undefined ? 1 : Number(q) };
    })
    .filter(({ tag, q }) => q > 0 && tag !== '' && tag !== '*')
    .sort((a, b) => b.q - a.q)
    .flatMap(({ tag }) => known(tag) ?? []);
  const locale = wanted[0] ?? plainReader.locale;
  const language = wanted.map(languageOf).find((found) => found !== null) ?? plainReader.language;
  return { locale, language, zone: isZone(zone) ? zone : plainReader.zone };
}

function known(tag: string): string | null {
  try {
    const [canonical] = Intl.getCanonicalLocales(tag);
    return Intl.DateTimeFormat.supportedLocalesOf(tag).length > 0 ? (canonical ?? null) : null;
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

function languageOf(tag: string): Language | null {
  return languages.find((language) => tag === language || tag.startsWith(`${language}-`)) ?? null;
}

/** Whether the time zone is one that is known (IANA). */
export function isZone(zone: string | null): zone is string {
  if (zone === null || !/^[\w/+-]{1,60}$/.test(zone)) return false;
  try {
    Intl.DateTimeFormat('en', { timeZone: zone });
    return true;
  } catch (error) {
    if (error instanceof RangeError) return false;
    throw error;
  }
}

/** Which way the reader's script runs. */
export function directionOf({ locale }: Reader): 'ltr' | 'rtl' {
  const { script } = new Intl.Locale(locale).maximize();
  return script !== undefined && rightToLeft.has(script) ? 'rtl' : 'ltr';
}

const rightToLeft = new Set(['Arab', 'Hebr', 'Thaa', 'Syrc', 'Nkoo', 'Adlm']);
