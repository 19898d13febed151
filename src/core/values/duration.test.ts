import { plainReader } from '../words/reader';
import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { describe, expect, it } from 'vitest';
import { readFeelDuration, toText } from '../formula/feel';
import { fromFeel, toFeel } from '../formula/convert';
import { totalOf } from '../table/view';
import { durationOf, hoursText, longestDuration, readDuration, secondsOf } from './duration';
import { editText, formatValue } from './format';
import { localeReading } from './locale-reading';
import { checkValue, parseText } from './parse';
import { isoReading } from './reading';
import type { ValueType } from './types';

const type: ValueType = { kind: 'duration' };
const anySeconds = fc.integer({ min: -longestDuration, max: longestDuration });

describe('A2 durations', () => {
  it.each([
    ['1:30', 5400],
    ['0:45', 2700],
    ['26:30', 95_400],
    ['1:30:15', 5415],
    ['-1:15', -4500],
    ['−1:15', -4500],
    ['1 h 30 min', 5400],
    ['1h30', 5400],
    ['1h30m15s', 5415],
    ['90 min', 5400],
    ['90m', 5400],
    ['1.5 h', 5400],
    ['1.5', 5400],
    ['8', 28_800],
    ['2 days 3 hours', 183_600],
    ['2 Tage', 172_800],
    ['1 heure 5 minutes', 3900],
    ['45 s', 45],
    ['PT1H30M', 5400],
    ['pt90m', 5400],
    ['P1DT2H', 93_600],
    ['-PT15M', -900],
    ['0', 0],
  ])('%s are %d seconds', (written, seconds) => {
    expect(readDuration(written)).toBe(seconds);
  });

  it.each([
    ...[
      '',
      'x',
      '1:60',
      '1:5',
      '1h1h',
      '30m 1h',
      '1d 3',
      '1,5 h',
      'P',
      'PT',
      'P1Y',
      'P1M',
      '1:2:3',
    ],
    ...['--1', '1.0001 s', '0.0001 h', '9999999999:00', '1 fortnight', '1h30x'],
  ])('“%s” is none', (written) => {
    expect(readDuration(written)).toBeNull();
    expect(parseText(type, written || '?', 'Worked')).toMatchObject({
      problem: { code: 'not_duration' },
    });
  });

  it('are read with the decimal sign of the reader', () => {
    const german = localeReading('de-DE');
    expect(parseText(type, '1,5 Std.', 'Worked', german)).toEqual({ value: 'PT1H30M' });
    expect(parseText(type, '1.5', 'Worked', german)).toHaveProperty('problem');
  });

  it('are kept in one form, however they were written', () => {
    expect(checkValue(type, 'PT90M', 'Worked')).toEqual({ value: 'PT1H30M' });
    expect(checkValue(type, 'PT26H', 'Worked')).toEqual({ value: 'P1DT2H' });
    expect(checkValue(type, '-PT0S', 'Worked')).toEqual({ value: 'PT0S' });
    for (const odd of [90, true, '1:30', 'P1M', 'PT1.5S']) {
      expect(checkValue(type, odd, 'Worked')).toHaveProperty('problem');
    }
  });

  it('come back from their form, from what is shown, and from what is edited', () => {
    fc.assert(
      fc.property(anySeconds, (seconds) => {
        const value = durationOf(seconds);
        expect(secondsOf(value)).toBe(seconds);
        expect(readDuration(hoursText(seconds))).toBe(seconds);
        for (const text of [
          formatValue(type, value, plainReader),
          editText(type, value, plainReader),
        ]) {
          expect(parseText(type, text, 'Worked', isoReading)).toEqual({ value });
        }
      }),
    );
  });

  it('are what FEEL and the calendar library take them for', () => {
    fc.assert(
      fc.property(anySeconds, (seconds) => {
        const value = durationOf(seconds);
        const feel = toFeel(type, value);
        expect(toText(readFeelDuration(value))).toBe(value);
        expect(fromFeel(type, feel)).toBe(value);
        expect(Temporal.Duration.from(value).total('seconds')).toBe(seconds);
      }),
    );
  });

  it('have totals', () => {
    const worked = ['PT1H30M', 'PT45M', null, '-PT15M'];
    const totals = (['sum', 'average', 'least', 'greatest', 'count'] as const).map((kind) =>
      totalOf(kind, type, worked),
    );
    expect(totals).toEqual(['PT2H', 'PT40M', '-PT15M', 'PT1H30M', 3]);
    expect(totalOf('sum', type, [])).toBe('PT0S');
    expect(totalOf('average', type, [])).toBeNull();
  });
});
