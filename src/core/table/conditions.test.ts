import { describe, expect, it } from 'vitest';
import type { ValueType } from '../values/types';
import {
  conditionSchema,
  narrowedBy,
  operators,
  operatorsFor,
  operatorWords,
  pathSchema,
  valuesTaken,
} from './conditions';

const types: ValueType[] = [
  { kind: 'text', format: 'plain', length: 40 },
  { kind: 'long_text' },
  { kind: 'whole' },
  { kind: 'decimal', precision: 8, scale: 2 },
  { kind: 'yes_no' },
  { kind: 'date' },
  { kind: 'time' },
  { kind: 'date_time' },
  { kind: 'option', options: [] },
  { kind: 'reference', table: 'score' },
  { kind: 'references', table: 'score', mirrors: null },
  { kind: 'rows', columns: [] },
  { kind: 'code', pattern: '{0}' },
];

describe('C1 a narrowing by the value of a field', () => {
  it('is a condition with that value, and none while the field is empty', () => {
    expect(narrowedBy('town', 'equal', 12)).toEqual({
      path: 'town',
      operator: 'equal',
      values: [12],
    });
    expect(narrowedBy('town', 'at_least', '2027-03-01')?.operator).toBe('at_least');
    expect(narrowedBy('town', 'equal', null)).toBeNull();
    expect(narrowedBy('town', 'equal', false)?.values).toEqual([false]);
  });

  it('is any of several records', () => {
    expect(narrowedBy('genre', 'equal', [3, 5])).toEqual({
      path: 'genre',
      operator: 'one_of',
      values: [3, 5],
    });
    expect(narrowedBy('genre', 'equal', [])).toBeNull();
  });
});

describe('A6 the comparisons of a column', () => {
  it('are those that make sense for its type, each with words', () => {
    for (const type of types) {
      const offered = operatorsFor(type);
      expect(offered.length).toBeGreaterThan(0);
      expect(new Set(offered).size).toBe(offered.length);
      // Whether anything is there can be asked of every column.
      expect(offered).toEqual(expect.arrayContaining(['empty', 'not_empty']));
      for (const operator of offered) expect(operatorWords[operator]).not.toBe('');
    }
    expect(operatorsFor({ kind: 'date' })).toContain('between');
    expect(operatorsFor({ kind: 'yes_no' })).not.toContain('at_least');
    expect(operatorsFor({ kind: 'reference', table: 'score' })).not.toContain('contains');
  });

  it('take as many values as they need', () => {
    expect(
      Object.fromEntries(operators.map((operator) => [operator, valuesTaken(operator)])),
    ).toEqual({
      equal: 1,
      not_equal: 1,
      contains: 1,
      begins_with: 1,
      at_least: 1,
      at_most: 1,
      between: 2,
      one_of: 'many',
      empty: 0,
      not_empty: 0,
    });
  });
});

describe('a condition from outside', () => {
  it.each(['name', 'town.region.name', 'a1_b'])('names a column by its path: %s', (path) => {
    expect(pathSchema.safeParse(path).success).toBe(true);
  });

  it.each([
    '',
    'Name',
    'town..name',
    '.town',
    'town.',
    'a b',
    'a`b',
    'x; drop table y',
    'a'.repeat(301),
  ])('names nothing else: %s', (path) => {
    expect(pathSchema.safeParse(path).success).toBe(false);
  });

  it('has no operator of its own, and plain values only', () => {
    const parse = (more: object) =>
      conditionSchema.safeParse({ path: 'name', operator: 'equal', values: ['a'], ...more })
        .success;
    expect(parse({})).toBe(true);
    expect(parse({ operator: 'like' })).toBe(false);
    expect(parse({ values: [{ raw: 'x' }] })).toBe(false);
    expect(parse({ values: Array.from({ length: 201 }, () => 'a') })).toBe(false);
    expect(parse({ sql: '1=1' })).toBe(false);
  });
});
