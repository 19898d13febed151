import { describe, expect, it } from 'vitest';
import { sharesOf } from './sampled';

const rows = [
  ['waltz', 'of', 'rain', 'quist'],
  ['waltz', 'of', 'rivers', 'velden'],
  ['elegy', 'of', 'rain', 'velden'],
  ['marsche', 'for', 'two', 'quist'],
].map((words, i) => ({ id: 10 * (i + 1), words }));

describe('how common words are, by a sample', () => {
  it('counts rows in which a word begins with each, and with all of them', () => {
    expect(sharesOf({ rows }, ['wal', 'of'])).toEqual({ each: [0.5, 0.75], all: 0.5, first: 10 });
    expect(sharesOf({ rows }, ['rain', 'velden'])).toMatchObject({ all: 0.25, first: 30 });
  });

  it('compares as the database does: without case and accents', () => {
    expect(sharesOf({ rows }, ['MÄRSCHE']).each).toEqual([0.25]);
  });

  it('takes what it did not meet for rare, and not for absent', () => {
    const { each, all, first } = sharesOf({ rows }, ['zebra', 'of']);
    expect(each[0]).toBeCloseTo(1 / 12);
    expect(all).toBeLessThanOrEqual(1 / 12);
    expect(first).toBeNull();
    expect(sharesOf({ rows: [] }, ['a']).all).toBeGreaterThan(0);
  });
});
