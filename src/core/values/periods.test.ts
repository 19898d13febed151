import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { dayAfter } from './dates';
import { comparedWith } from './periods';

describe('periods that are compared', () => {
  it('are as long, and end the day before', () => {
    expect(comparedWith({ from: '2026-03-01', to: '2026-03-31' }, 'before')).toEqual({
      ...{ from: '2026-01-29', to: '2026-02-28' },
    });
    const start = fc.integer({ min: 0, max: 20_000 });
    fc.assert(
      fc.property(start, fc.integer({ min: 0, max: 800 }), (at, length) => {
        const from = dayAfter('2000-01-01', at) ?? '';
        const to = dayAfter(from, length) ?? '';
        const before = comparedWith({ from, to }, 'before');
        expect(dayAfter(before?.to ?? '', 1)).toBe(from);
        expect(dayAfter(before?.from ?? '', length)).toBe(before?.to);
      }),
    );
  });

  it('or the same a year earlier, and never reach into themselves', () => {
    expect(comparedWith({ from: '2024-02-29', to: null }, 'year')).toEqual({
      ...{ from: '2023-02-28', to: '2024-02-28' },
    });
    expect(comparedWith({ from: null, to: '2026-03-01' }, 'before')).toBeNull();
    expect(comparedWith({ from: '2026-03-02', to: '2026-03-01' }, 'before')).toBeNull();
    expect(comparedWith({ from: null, to: null }, 'year')).toBeNull();
  });
});
