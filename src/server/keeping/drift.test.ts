import { expect, it } from 'vitest';
import { problem, ProblemError } from '$lib/core/problems';
import { judgeEach } from './drift';

const finding = (root: number) => ({
  ...{ root, record: root, grid: '', field: 'weeks', kind: 'check' as const },
  ...{ message: 'Too many.', value: 12, now: undefined },
});

it('a record that cannot be opened stops no others, and is told', async () => {
  const judged: (readonly number[])[] = [];
  const found = await judgeEach([1, 2, 3], async (ids) => {
    judged.push(ids);
    if (ids.includes(2)) throw new ProblemError(problem('not_settled', { rounds: 3 }));
    return ids.map(finding);
  });
  expect(judged).toEqual([[1, 2, 3], [1], [2], [3]]);
  expect(found.map(({ root, kind }) => [root, kind])).toEqual([
    [1, 'check'],
    [2, 'unreadable'],
    [3, 'check'],
  ]);
  expect(found[1]?.message).not.toBe('');
});

it('a database that is away stops all of them', async () => {
  const away = judgeEach([1], async () => {
    throw new Error('away');
  });
  await expect(away).rejects.toThrow('away');
});
