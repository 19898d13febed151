import { plainReader } from '../words/reader';
import { Decimal } from 'decimal.js';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { codeFrame, codeOf, codePattern } from './code';
import { isDate, isTime, readDate } from './dates';
import { absent, editText, formatDecimal, formatValue } from './format';
import { parseText } from './parse';
import { plainText, type ValueType } from './types';

const decimal: ValueType = { kind: 'decimal', precision: 38, scale: 4 };
const as = (locale: string) => ({ ...plainReader, locale });
const locales = ['en', 'de', 'fr', 'de-CH', 'en-IN', 'pl'];
/** A decimal as it is kept, of any size. */
const amount = fc
  .tuple(fc.bigInt({ min: -(10n ** 33n), max: 10n ** 33n }), fc.integer({ min: 0, max: 4 }))
  .map(([digits, scale]) => new Decimal(digits.toString()).div(10 ** scale).toFixed(scale));

describe('a number as people read it', () => {
  it('is grouped by the locale, and keeps every place', () => {
    const shown = ['en', 'de', 'en-IN'].map((locale) => formatDecimal('1234567.50', as(locale)));
    expect(shown).toEqual(['1,234,567.50', '1.234.567,50', '12,34,567.50']);
    expect(formatDecimal('-0.05', as('de'))).toBe('-0,05');
    expect(formatDecimal('12345678901234567890.1234', as('en'))).toBe(
      '12,345,678,901,234,567,890.1234',
    );
  });

  it('holds the same digits as the number, whatever the locale', () => {
    fc.assert(
      fc.property(amount, fc.constantFrom(...locales), (text, locale) => {
        const digits = (given: string) => given.replace(/\D/g, '');
        expect(digits(formatDecimal(text, as(locale)))).toBe(digits(text));
      }),
    );
  });

  it('stands in an input so that it is read again as it was', () => {
    fc.assert(
      fc.property(amount, fc.constantFrom('en', 'de', 'fr'), (text, locale) => {
        const sign = locale === 'en' ? '.' : ',';
        const reading = { decimal: sign, dates: 'ymd', groups: '' } as const;
        const read = parseText(decimal, editText(decimal, text, as(locale)), 'Amount', reading);
        expect('value' in read && new Decimal(String(read.value)).equals(text)).toBe(true);
      }),
    );
  });

  it('that is none stays as it is', () => {
    for (const text of ['', 'many', '1e5', '1.2.3'])
      expect(formatDecimal(text, as('en'))).toBe(text);
  });
});

describe('a value as people read it', () => {
  const option: ValueType = {
    kind: 'option',
    options: [{ value: 'new', label: 'as new' }],
  };
  it.each<[ValueType, Parameters<typeof formatValue>[1], string]>([
    [{ kind: 'whole' }, 12000, '12,000'],
    [{ kind: 'yes_no' }, true, 'yes'],
    [{ kind: 'yes_no' }, false, 'no'],
    [{ kind: 'date' }, '2027-03-01', 'Mar 1, 2027'],
    [{ kind: 'time' }, '14:30:00', '14:30'],
    [{ kind: 'time' }, '14:30:15', '14:30:15'],
    [option, 'new', 'as new'],
    [option, 'gone', 'gone'],
    [{ kind: 'reference', table: 'score' }, 7, '#7'],
    [{ kind: 'references', table: 'score', mirrors: null }, [7], '1 record'],
    [{ kind: 'references', table: 'score', mirrors: null }, [7, 8], '2 records'],
    [{ kind: 'rows', columns: [] }, [{ day: 'Monday' }], '1 row'],
    [plainText, 'as it is', 'as it is'],
    [plainText, null, absent],
    [{ kind: 'date' }, 'no date', 'no date'],
  ])('%o: %o is %s', (type, value, expected) => {
    expect(formatValue(type, value, plainReader)).toBe(expected);
  });
});

describe('a date as people write it', () => {
  const day = fc
    .tuple(
      fc.integer({ min: 1, max: 9999 }),
      fc.integer({ min: 1, max: 12 }),
      fc.integer({ min: 1, max: 31 }),
    )
    .map((parts) => parts.map((n, i) => String(n).padStart(i === 0 ? 4 : 2, '0')) as string[]);

  it('is a day of the calendar, or none, as the calendar has it', () => {
    fc.assert(
      fc.property(day, (parts) => {
        const text = parts.join('-');
        const at = new Date(`${text}T00:00:00Z`);
        const real = !Number.isNaN(at.getTime()) && at.toISOString().slice(0, 10) === text;
        expect(isDate(text)).toBe(real);
      }),
    );
    expect(['1900-02-29', '2000-02-29', '2023-02-29', '2024-02-29'].map(isDate)).toEqual([
      false,
      true,
      false,
      true,
    ]);
  });

  it('is read in the order of its writer, with any sign between', () => {
    fc.assert(
      fc.property(day, fc.constantFrom('.', '/', '-'), (parts, sign) => {
        const [year = '', month = '', date = ''] = parts;
        fc.pre(isDate(parts.join('-')));
        const iso = parts.join('-');
        expect(readDate([date, month, year].join(sign), 'dmy')).toBe(iso);
        expect(readDate([month, date, year].join(sign), 'mdy')).toBe(iso);
        expect(readDate([year, Number(month), Number(date)].join(sign), 'ymd')).toBe(iso);
      }),
    );
  });

  it.each(['1.2', '1.2/2024', '32.1.2024', '1.13.2024', '1.1.24', '2024-13-01', ''])(
    'is none: %s',
    (text) => {
      expect(readDate(text, 'dmy')).toBeNull();
    },
  );

  it('has a time of day apart from it', () => {
    expect(['00:00:00', '23:59:59', '24:00:00', '7:00:00', '12:60:00'].map(isTime)).toEqual([
      true,
      true,
      false,
      false,
      false,
    ]);
  });
});

describe('A2 a code that is numbered automatically', () => {
  it('stands in its pattern, the number at least so long', () => {
    expect(codeOf('L-{yyyy}-{0000}', 2026, 7)).toBe('L-2026-0007');
    expect(codeOf('L-{yyyy}-{0000}', 2026, 12345)).toBe('L-2026-12345');
    expect(codeOf('{00}/x', 2026, 3)).toBe('03/x');
  });

  it('has its number between what is before and behind, whatever that is', () => {
    const patterns = fc.constantFrom('L-{yyyy}-{0000}', '{000}', 'a {00} b', '{yyyy}{0}');
    fc.assert(
      fc.property(patterns, fc.nat(), (pattern, number) => {
        const { before, behind } = codeFrame(pattern, 2026);
        const code = codeOf(pattern, 2026, number);
        expect(code.startsWith(before) && code.endsWith(behind)).toBe(true);
        expect(Number(code.slice(before.length, code.length - behind.length))).toBe(number);
      }),
    );
  });

  it.each<[string, boolean]>([
    ['L-{yyyy}-{0000}', true],
    ['{0}', true],
    ['L-{yyyy}', false],
    ['{00}-{00}', false],
    ['L-{mm}-{00}', false],
    ['{0000000000}', false],
  ])('has a pattern that is one: %s', (pattern, sound) => {
    expect(codePattern.test(pattern)).toBe(sound);
  });
});
