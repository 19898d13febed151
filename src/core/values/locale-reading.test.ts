import { plainReader } from '../words/reader';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readingOfBlock } from '../../ui/filling/grid-edits';
import { editText, formatValue } from './format';
import { localeReading } from './locale-reading';
import { parseText } from './parse';
import type { Value, ValueType } from './types';

/** Every language that the runtime writes dates and numbers in, with regions that write otherwise. */
const languages = [
  ...'af am ar as az be bg bn bs ca cs cy da de el en es et eu fa fi fil fr ga gl gu he hi hr hu hy id is it ja'.split(
    ' ',
  ),
  ...'ka kk km kn ko ky lo lt lv mk ml mn mr ms my nb ne nl nn or pa pl ps pt ro ru sd si sk sl so sq sr sv sw ta'.split(
    ' ',
  ),
  ...'te th tk tr uk ur uz vi yo zh zu'.split(' '),
];
const regions = [
  ...[
    'ar-EG',
    'ar-MA',
    'de-AT',
    'de-CH',
    'en-AU',
    'en-CA',
    'en-GB',
    'en-IN',
    'en-ZA',
    'es-MX',
    'fa-IR',
  ],
  ...[
    'fr-CA',
    'fr-CH',
    'hi-IN',
    'it-CH',
    'ja-JP',
    'ko-KR',
    'nl-BE',
    'pt-BR',
    'pt-PT',
    'sr-Latn',
    'sv-SE',
  ],
  ...['th-TH', 'zh-CN', 'zh-TW', 'zh-HK', 'pl-PL', 'bn-BD', 'mr-IN', 'ne-NP', 'my-MM', 'uz-Cyrl'],
];
const locales = Intl.DateTimeFormat.supportedLocalesOf([...languages, ...regions]);
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

const two = (n: number) => String(n).padStart(2, '0');
const day = fc
  .record({
    y: fc.integer({ min: 1970, max: 2068 }),
    m: fc.integer({ min: 1, max: 12 }),
    d: fc.integer({ min: 1, max: 28 }),
  })
  .map(({ y, m, d }) => `${y}-${two(m)}-${two(d)}`);
const hour = fc.record({ h: fc.nat(23), m: fc.nat(59) }).map(({ h, m }) => `${two(h)}:${two(m)}`);
const kinds: [ValueType, fc.Arbitrary<Value>][] = [
  [{ kind: 'whole' }, fc.integer({ min: -2_000_000_000, max: 2_000_000_000 })],
  [
    { kind: 'decimal', precision: 20, scale: 3 },
    fc
      .record({ n: fc.integer({ min: -9_999_999, max: 9_999_999 }), f: fc.nat(999) })
      .map(({ n, f }) => `${n}.${String(f).padStart(3, '0')}`),
  ],
  [{ kind: 'date' }, day],
  [{ kind: 'time' }, hour.map((at) => `${at}:00`)],
  [{ kind: 'date_time' }, fc.tuple(day, hour).map(([d, at]) => `${d}T${at}:00Z`)],
];

describe('R10 what was shown can always be typed again', () => {
  it('knows many locales', () => expect(locales.length).toBeGreaterThan(80));

  it.each(locales)('in %s', (locale) => {
    const reading = localeReading(locale, zone);
    const shown = { ...plainReader, locale, zone };
    for (const [type, values] of kinds) {
      fc.assert(
        fc.property(values, (value) => {
          for (const text of [formatValue(type, value, shown), editText(type, value, shown)]) {
            expect(parseText(type, text, 'It', reading), `${type.kind} ${text}`).toEqual({ value });
          }
        }),
        { numRuns: 25 },
      );
    }
  });
});

describe('R10 numbers and dates as the reader writes them', () => {
  const price: ValueType = { kind: 'decimal', precision: 12, scale: 3 };
  const read = (locale: string, type: ValueType, text: string) => {
    const parsed = parseText(type, text, 'It', localeReading(locale, 'Europe/Berlin'));
    return 'value' in parsed ? parsed.value : parsed.problem.code;
  };
  it.each<[string, ValueType, string, Value]>([
    ['de-DE', price, '1.125', '1125.000'],
    ['de-DE', price, '1.5', 'not_decimal'],
    ['de-DE', price, '1,5', '1.500'],
    ['en-US', price, '1,5', 'not_decimal'],
    ['en-US', price, '1,250.5', '1250.500'],
    ['fr-FR', price, '1 250,5', '1250.500'],
    ['fr-FR', price, '1\u202f250,5', '1250.500'],
    ['sv-SE', price, '−1 250,5', '-1250.500'],
    ['de-CH', price, "1'250.5", '1250.500'],
    ['pl-PL', { kind: 'whole' }, '12 345', 12345],
    ['hi-IN', { kind: 'whole' }, '12,34,567', 1234567],
    ['hi-IN', { kind: 'whole' }, '1,234,567', 'not_whole'],
    ['ar-EG', price, '١٬٢٣٤٫٥', '1234.500'],
    ['fa-IR', price, '۱٫۵', '1.500'],
    ['th-TH', { kind: 'date' }, '1/3/2027', '2027-03-01'],
    ['en-US', { kind: 'time' }, '2:30 PM', '14:30:00'],
    ['en-US', { kind: 'time' }, '12:05 a.m.', '00:05:00'],
    ['en-US', { kind: 'time' }, '13:05 pm', 'not_time'],
    ['de-DE', { kind: 'date' }, '1.3.27', '2027-03-01'],
    ['en-US', { kind: 'date' }, '3/1/69', '1969-03-01'],
    ['de-DE', { kind: 'date' }, '1. März 2027', '2027-03-01'],
    ['en-GB', { kind: 'date' }, '1 March 2027', '2027-03-01'],
    ['de-DE', { kind: 'date_time' }, '1.3.2027 10:30', '2027-03-01T09:30:00Z'],
    // At two on that night the clocks go on to three; at three in autumn they go back to two.
    ['de-DE', { kind: 'date_time' }, '28.3.2027 02:30', 'not_date_time'],
    ['de-DE', { kind: 'date_time' }, '31.10.2027 02:30', 'not_date_time'],
    ['de-DE', { kind: 'date_time' }, '2027-03-01T10:30:00Z', '2027-03-01T10:30:00Z'],
    ['de-DE', { kind: 'date_time' }, '9999-12-31T23:59:59-01:00', 'not_date_time'],
  ])('%s %j %s', (locale, type, text, value) => expect(read(locale, type, text)).toEqual(value));

  it('a pasted column is read in one way that fits all its cells', () => {
    const german = localeReading('de-DE');
    const values = (texts: string[]) => {
      const by = readingOfBlock(price, texts, german);
      return texts.map((text) => {
        const parsed = parseText(price, text, 'It', by);
        return 'value' in parsed ? parsed.value : parsed.problem.code;
      });
    };
    expect(values(['1.5', '1.25', '1.125'])).toEqual(['1.500', '1.250', '1.125']);
    expect(values(['1,5', '1.125'])).toEqual(['1.500', '1125.000']);
    expect(values(['1.125', ''])).toEqual(['1125.000', null]);
    expect(values(['1.5', '1,5'])).toEqual(['not_decimal', '1.500']);
  });
});
describe('typed numbers and dates are read as the reader writes them', () => {
  it.each([
    ['en-US', { decimal: '.', dates: 'mdy' }],
    ['en-GB', { decimal: '.', dates: 'dmy' }],
    ['de-DE', { decimal: ',', dates: 'dmy' }],
    ['sv-SE', { decimal: ',', dates: 'ymd' }],
  ])('%s', (locale, reading) => expect(localeReading(locale)).toMatchObject(reading));

  it('brings each to the one canonical form', () => {
    const german = localeReading('de-DE');
    const price: ValueType = { kind: 'decimal', precision: 10, scale: 2 };
    expect(parseText(price, '1.250,5', 'Price', german)).toEqual({ value: '1250.50' });
    expect(parseText({ kind: 'date' }, '1.3.2027', 'Day', german)).toEqual({ value: '2027-03-01' });
    expect(parseText({ kind: 'time' }, '9:05', 'At', german)).toEqual({ value: '09:05:00' });
    expect(parseText({ kind: 'time' }, '25:00', 'At', german)).toHaveProperty('problem');
  });
});
