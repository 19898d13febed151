import { plainReader } from '../words/reader';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readDate } from './dates';
import { formatDecimal, formatValue } from './format';
import { checkValue, parseText, readingOf } from './parse';
import { isoReading } from './reading';
import { plainText, sameValue, type ValueType } from './types';

const decimal: ValueType = { kind: 'decimal', precision: 10, scale: 2 };
const text = (type: ValueType, given: string, reading = isoReading) => {
  const parsed = parseText(type, given, 'It', reading);
  return 'value' in parsed ? parsed.value : parsed.problem.code;
};

describe('A2 typed text becomes a canonical value', () => {
  it.each<[ValueType, string, unknown]>([
    [plainText, '  Velden ', 'Velden'],
    [plainText, '=1+1', '=1+1'],
    [plainText, '', null],
    [{ ...plainText, format: 'email' } as ValueType, 'a@b.example.org', 'a@b.example.org'],
    [{ ...plainText, format: 'email' } as ValueType, 'a@b', 'not_email'],
    [
      { ...plainText, format: 'url' } as ValueType,
      'https://example.org/x',
      'https://example.org/x',
    ],
    [{ ...plainText, format: 'url' } as ValueType, 'javascript:alert(1)', 'not_url'],
    [{ ...plainText, format: 'phone' } as ValueType, '555-0142', '555-0142'],
    [{ ...plainText, format: 'phone' } as ValueType, 'call me', 'not_phone'],
    [{ kind: 'whole' }, '42', 42],
    [{ kind: 'whole' }, '-0', 0],
    [{ kind: 'whole' }, '4.2', 'not_whole'],
    [{ kind: 'whole' }, '99999999999999999', 'whole_too_large'],
    [decimal, '12.5', '12.50'],
    [decimal, '1,250.50', 'not_decimal'],
    [decimal, '.5', '0.50'],
    [decimal, '0.005', 'too_many_places'],
    [decimal, '123456789', 'too_many_digits'],
    [decimal, '1e3', 'not_decimal'],
    [{ kind: 'yes_no' }, 'Yes', true],
    [{ kind: 'yes_no' }, 'maybe', 'not_yes_no'],
    [{ kind: 'date' }, '2028-02-29', '2028-02-29'],
    [{ kind: 'date' }, '2027-02-29', 'not_date'],
    [{ kind: 'date_time' }, '2027-03-01 14:30', '2027-03-01T14:30:00Z'],
    [{ kind: 'date_time' }, '2027-03-01T14:30:00+02:00', '2027-03-01T12:30:00Z'],
    [{ kind: 'date_time' }, '2027-03-01 25:00', 'not_date_time'],
    [{ kind: 'option', options: [{ value: 'a', label: 'First' }] }, 'first', 'a'],
    [{ kind: 'option', options: [{ value: 'a', label: 'First' }] }, 'second', 'not_option'],
    [{ kind: 'reference', table: 'town' }, '7', 7],
    [{ kind: 'reference', table: 'town' }, '0', 'not_reference'],
  ])('%o reads %j as %j', (type, given, expected) => {
    expect(text(type, given)).toEqual(expected);
  });

  it('reads decimal commas and other orders of dates where told so', () => {
    const reading = readingOf({ decimal: ',', dates: 'dmy' });
    expect(text(decimal, '1.250,50', reading)).toBe('1250.50');
    expect(text({ kind: 'date' }, '1.3.2027', reading)).toBe('2027-03-01');
    expect(readDate('3/1/2027', 'mdy')).toBe('2027-03-01');
    expect(readDate('13/13/2027', 'mdy')).toBeNull();
  });

  it('counts characters, not code units, and says how many there are', () => {
    const short: ValueType = { kind: 'text', format: 'plain', length: 2 };
    expect(text(short, '🎻🎺')).toBe('🎻🎺');
    const parsed = parseText(short, 'abc', 'Code');
    expect('problem' in parsed && parsed.problem.message).toBe(
      'Code has 3 characters; at most 2 fit.',
    );
  });
});

describe('F9 a value that came from outside is believed only in canonical form', () => {
  it.each<[ValueType, unknown]>([
    [{ kind: 'whole' }, '42'],
    [{ kind: 'whole' }, 4.5],
    [decimal, 12.5],
    [{ kind: 'yes_no' }, 'true'],
    [{ kind: 'date' }, '1.3.2027'],
    [{ kind: 'date_time' }, '2027-03-01'],
    [{ kind: 'option', options: [{ value: 'a', label: 'First' }] }, 'First'],
    [{ kind: 'reference', table: 'town' }, '7'],
    [{ kind: 'reference', table: 'town' }, -1],
    [plainText, { toString: () => 'x' }],
  ])('%o refuses %j', (type, given) => {
    expect(checkValue(type, given, 'It')).toHaveProperty('problem');
  });

  it('keeps every decimal exactly, whatever its size', () => {
    const wide: ValueType = { kind: 'decimal', precision: 38, scale: 10 };
    fc.assert(
      fc.property(fc.bigInt(-(10n ** 37n), 10n ** 37n), (scaled) => {
        const digits = scaled.toString().replace('-', '').padStart(11, '0');
        const sign = scaled < 0n ? '-' : '';
        const written = `${sign}${digits.slice(0, -10)}.${digits.slice(-10)}`;
        expect(checkValue(wide, written, 'It')).toEqual({ value: written });
      }),
    );
  });

  it('takes back what it formats for whole numbers and dates in ISO order', () => {
    fc.assert(
      fc.property(
        fc.date({ min: new Date('0001-01-01'), max: new Date('9999-12-31'), noInvalidDate: true }),
        (day) => {
          const iso = day.toISOString().slice(0, 10);
          expect(text({ kind: 'date' }, iso)).toBe(iso);
        },
      ),
    );
  });
});

describe('values as people read them', () => {
  it('groups digits and keeps every place', () => {
    expect(formatDecimal('12345678901234567890.10', { ...plainReader, locale: 'en' })).toBe(
      '12,345,678,901,234,567,890.10',
    );
    expect(formatDecimal('-1250.50', { ...plainReader, locale: 'de' })).toBe('-1.250,50');
    expect(formatValue({ kind: 'whole' }, 60000, { ...plainReader, locale: 'en' })).toBe('60,000');
    expect(formatValue({ kind: 'date' }, '2027-03-01', { ...plainReader, locale: 'en-GB' })).toBe(
      '1 Mar 2027',
    );
    expect(formatValue({ kind: 'yes_no' }, false, plainReader)).toBe('no');
    expect(formatValue(plainText, null, plainReader)).toBe('–');
  });
});

describe('E6, E9 values of several records and of rows', () => {
  const references: ValueType = { kind: 'references', table: 'genre', mirrors: null };
  const rows: ValueType = {
    kind: 'rows',
    columns: [
      { key: 'day', label: 'Day', type: { kind: 'date' }, required: true },
      {
        key: 'fee',
        label: 'Fee',
        type: { kind: 'decimal', precision: 6, scale: 2 },
        required: false,
      },
    ],
  };
  const checked = (type: ValueType, given: unknown) => {
    const parsed = checkValue(type, given, 'It');
    return 'value' in parsed ? parsed.value : parsed.problem.code;
  };

  it('reads ids in order and each once; none at all is absent', () => {
    expect(text(references, '7, 3,7')).toEqual([3, 7]);
    expect(text(references, 'seven')).toBe('not_reference');
    expect(checked(references, [9, 2])).toEqual([2, 9]);
    expect(checked(references, [])).toBeNull();
    expect(checked(references, 3)).toBe('not_reference');
    expect(checked(references, [0])).toBe('not_reference');
    const many = Array.from({ length: 1001 }, (_, i) => i + 1);
    expect(checked(references, many)).toBe('too_many_members');
  });

  it('reads rows column by column, in canonical form', () => {
    expect(text(rows, '[{"day": "2027-03-01", "fee": "2.5"}]')).toEqual([
      { day: '2027-03-01', fee: '2.50' },
    ]);
    expect(text(rows, '{"day": 1}')).toBe('not_rows');
    expect(text(rows, '[1')).toBe('not_rows');
    expect(checked(rows, [{ day: '', fee: null }])).toBeNull();
    expect(checked(rows, [null])).toBe('bad_row');
    expect(checked(rows, [{ day: '2027-02-30' }])).toBe('bad_row');
  });

  it('shows and compares them by how many there are', () => {
    expect(formatValue(references, [3], plainReader)).toBe('1 record');
    expect(formatValue(rows, [{ day: 'a' }, { day: 'b' }], plainReader)).toBe('2 rows');
    expect(sameValue([1, 2], [1, 2])).toBe(true);
    expect(sameValue([1, 2], [2])).toBe(false);
  });
});
