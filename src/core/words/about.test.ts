import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { aboutFrom, aboutSo, countWords } from './about';

describe('numbers that are told about', () => {
  it('keep their first two digits', () => {
    expect([0, 7, 42, 105, 992_802, 1_249_999, 20_499].map(aboutSo)).toEqual([
      ...[0, 7, 42, 110, 990_000, 1_200_000, 20_000],
    ]);
  });

  it('are never far off', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 2 ** 48 }), (n) => {
        expect(Math.abs(aboutSo(n) - n) / n).toBeLessThanOrEqual(0.05);
        expect(aboutSo(aboutSo(n))).toBe(aboutSo(n));
      }),
    );
  });

  it('are said to be about so from some number on', () => {
    expect(countWords(1200)).toBe('1,200');
    expect(countWords(aboutFrom - 1)).toBe('19,999');
    expect(countWords(992_802)).toBe('about 990,000');
  });
});
