import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compareValues } from './compare';
import { localeReading } from './locale-reading';
import { parseText } from './parse';
import { codeFrame, codeOf } from './code';
import { plainText, valueTypeSchema, type ValueType } from './types';

const decimal: ValueType = { kind: 'decimal', precision: 38, scale: 10 };

describe('A2 values of one type have an order', () => {
  it('puts absent values first and compares by what they mean', () => {
    expect(compareValues(plainText, null, 'a')).toBeLessThan(0);
    expect(compareValues(plainText, null, null)).toBe(0);
    expect(compareValues(plainText, 'Part 9', 'Part 10')).toBeLessThan(0);
    expect(compareValues(decimal, '9.50', '10.00')).toBeLessThan(0);
    expect(compareValues({ kind: 'date' }, '2027-10-01', '2027-09-30')).toBeGreaterThan(0);
    expect(compareValues({ kind: 'time' }, '09:00:00', '08:59:59')).toBeGreaterThan(0);
    const grades = ['new', 'good', 'worn'].map((value) => ({ value, label: value }));
    expect(compareValues({ kind: 'option', options: grades }, 'good', 'new')).toBeGreaterThan(0);
  });

  it('orders decimals exactly, beyond what a float can tell apart', () => {
    fc.assert(
      fc.property(fc.bigInt(0n, 10n ** 36n), fc.bigInt(0n, 10n ** 36n), (a, b) => {
        const order = compareValues(decimal, `${a}.0000000001`, `${b}.0000000001`);
        expect(Math.sign(order)).toBe(a < b ? -1 : a > b ? 1 : 0);
      }),
    );
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

describe('A2 codes are numbered after a pattern', () => {
  const pattern = 'L-{yyyy}-{0000}';

  it('with the year, and at least as many digits as the pattern has zeros', () => {
    expect(codeOf(pattern, 2027, 7)).toBe('L-2027-0007');
    expect(codeOf(pattern, 2027, 12345)).toBe('L-2027-12345');
    expect(codeOf('{00}/X', 2027, 3)).toBe('03/X');
    expect(codeFrame(pattern, 2027)).toEqual({ before: 'L-2027-', behind: '' });
  });

  it.each(['L-{yyyy}', '{0}{0}', '{000}{yyyy}', "{0}' or 1", '{0000000000}'])(
    'refuses %s',
    (bad) => {
      expect(valueTypeSchema.safeParse({ kind: 'code', pattern: bad }).success).toBe(false);
    },
  );

  it('are put in order by their numbers', () => {
    expect(compareValues({ kind: 'code', pattern }, 'L-2027-9', 'L-2027-10')).toBeLessThan(0);
  });
});
