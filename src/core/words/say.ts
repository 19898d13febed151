import { reader } from './reader';

/** Marks a text of the code as words that a person reads: it stands in the catalogue of the house. */
export function say(words: string): string {
  return words;
}

/** A table of words that reads like an object, said anew in each language that is asked for. */
export function spoken<T extends object>(make: () => T): T {
  const made = new Map<string, T>();
  const now = (): T => {
    const { language } = reader();
    const known = made.get(language) ?? make();
    made.set(language, known);
    return known;
  };
  return new Proxy({} as T, {
    get: (_, key) => Reflect.get(now(), key) as unknown,
    has: (_, key) => Reflect.has(now(), key),
    ownKeys: () => Reflect.ownKeys(now()),
    getOwnPropertyDescriptor: (_, key) => {
      const found = Reflect.getOwnPropertyDescriptor(now(), key);
      return found && { ...found, configurable: true };
    },
  });
}

/** A number as the reader writes it. */
export function num(n: number | bigint): string {
  return numbers(reader().locale).format(n);
}

/**
 * A counted thing: of the forms of a language the one that fits, `#` in it being the number. `rule` comes from the
 * catalogue of the language.
 */
export function plural(
  n: number,
  forms: readonly string[],
  rule: (n: number) => number = (count) => (count === 1 ? 0 : 1),
): string {
  const form = forms[rule(n)] ?? forms.at(-1) ?? '';
  return form.replace('#', num(n));
}

/** Things one after the other, the last with "and", as the language has it. */
export function listed(things: readonly string[]): string {
  return new Intl.ListFormat(reader().language, { type: 'conjunction' }).format(things);
}

/** How long ago a moment was, in a few words of the reader's language. `at` and `now` in milliseconds. */
export function agoWords(at: number, now: number): string {
  const seconds = Math.max(0, Math.round((now - at) / 1000));
  const { locale, language } = reader();
  const said = new Intl.RelativeTimeFormat(locale.startsWith(language) ? locale : language, {
    numeric: 'auto',
    style: 'short',
  });
  if (seconds < 5) return say('just now');
  if (seconds < 60) return said.format(-seconds, 'second');
  if (seconds < 3600) return said.format(-Math.round(seconds / 60), 'minute');
  if (seconds < 86_400) return said.format(-Math.round(seconds / 3600), 'hour');
  return said.format(-Math.round(seconds / 86_400), 'day');
}

const made = new Map<string, Intl.NumberFormat>();

function numbers(locale: string): Intl.NumberFormat {
  const known = made.get(locale);
  if (known) return known;
  const fresh = new Intl.NumberFormat(locale);
  made.set(locale, fresh);
  return fresh;
}
