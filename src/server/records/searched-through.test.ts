import { describe, expect, it } from 'vitest';
import type { ValueType } from '$lib/core/values/types';
import { couldHold } from './searched-through';

const option = (...values: string[]): ValueType => ({
  kind: 'option',
  options: values.map((value) => ({ value, label: value })),
});

describe('whether a word could stand in a row itself', () => {
  it.each<[ValueType, string, boolean]>([
    [{ kind: 'text', format: 'plain', length: 40 }, 'waltz', true],
    [{ kind: 'whole' }, 'waltz', false],
    [{ kind: 'whole' }, '42', true],
    [{ kind: 'decimal', precision: 8, scale: 2 }, '٣', true],
    [{ kind: 'yes_no' }, 'yes', false],
    [{ kind: 'duration' }, 'P3D', true],
    [{ kind: 'date' }, 'waltz', false],
    [{ kind: 'date' }, '2026', true],
    [{ kind: 'date' }, '07', true],
    [{ kind: 'date' }, '0042', false],
    [{ kind: 'date' }, '55213', false],
    [{ kind: 'date' }, '12a', true],
    [{ kind: 'date_time' }, 'waltz', true],
    [option('lent', 'returned'), 'waltz', false],
    [option('lent', 'returned'), 'LEN', true],
    [option('not lent'), 'lent', true],
    [option('größer'), 'waltz', true],
    [option('lent'), 'ß', true],
    [{ kind: 'code' } as ValueType, 'waltz', true],
  ])('%j: %s, %s', (type, word, could) => expect(couldHold(type, word)).toBe(could));
});
