import { describe, expect, it } from 'vitest';
import { fail } from '$lib/core/problems';
import { OutsideStatusError, told } from './told';

const sql = (code: string, sqlMessage: string) =>
  Object.assign(new Error(sqlMessage), { code, sqlMessage });
const of = (error: unknown) => {
  const { problems, status } = told(error, 'Workshop', 300);
  return [problems[0]?.code, status];
};

describe('H5 what went wrong with an outside system', () => {
  it.each<[string, unknown, [string, number]]>([
    ['it took too long', new DOMException('x', 'TimeoutError'), ['outside_slow', 504]],
    [
      'a statement took too long',
      sql('ER_STATEMENT_TIMEOUT', 'max_statement_time exceeded'),
      ['outside_slow', 504],
    ],
    [
      'nobody is there',
      Object.assign(new Error('x'), { code: 'ECONNREFUSED' }),
      ['outside_away', 502],
    ],
    ['nothing is known of it', undefined, ['outside_away', 502]],
    ['a statement is wrong', sql('ER_PARSE_ERROR', 'You have an error'), ['outside_refused', 502]],
    [
      'the account is locked',
      sql('ER_ACCOUNT_HAS_BEEN_LOCKED', 'locked'),
      ['outside_refused', 503],
    ],
    ['another holds the row', sql('ER_LOCK_WAIT_TIMEOUT', 'try again'), ['outside_refused', 503]],
    ['it says so itself', new OutsideStatusError('Desk', 500), ['outside_status', 502]],
  ])('is told, and whether it may pass by itself: %s', (_, error, expected) => {
    expect(of(error)).toEqual(expected);
  });

  it('keeps a problem that is one already', () => {
    let thrown: unknown;
    try {
      fail('outside_read_only', { system: 'Workshop' }, 403);
    } catch (error) {
      thrown = error;
    }
    expect(told(thrown, 'Workshop', 300)).toBe(thrown);
  });

  it('tells nothing of where it is, nor of what signs in to it', () => {
    const error = Object.assign(new Error('connect ECONNREFUSED 10.0.0.7:3306 hush'), {
      code: 'ECONNREFUSED',
      address: '10.0.0.7',
    });
    expect(JSON.stringify(told(error, 'Workshop', 300).problems)).not.toMatch(/10\.0|hush/);
  });
});
