import { describe, expect, it } from 'vitest';
import { codeFrame, codeOf } from './code';
import { valueTypeSchema } from './types';

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
});
