import { expect, it } from 'vitest';
import { worryOf } from './backups';

const now = new Date('2026-03-10T12:00:00Z');

it.each([
  ['nothing where none was made, and none is to be', null, null, null, null],
  [
    'nothing where one failed long ago and a good one came after',
    24,
    'good',
    '2026-03-10T01:00:00Z',
    null,
  ],
  ['that the last one failed, whatever was before', 24, 'failed', '2026-03-10T01:00:00Z', 'failed'],
  [
    'that the last one failed, also where none are made by themselves',
    null,
    'failed',
    null,
    'failed',
  ],
  ['nothing within two steps', 24, 'unchecked', '2026-03-08T13:00:00Z', null],
  ['that it is old beyond two steps', 24, 'good', '2026-03-08T11:00:00Z', 'old'],
  ['nothing of age where none are made by themselves', null, 'good', '2020-01-01T00:00:00Z', null],
] as const)('a keeper is told %s', (_, every, state, at, worry) => {
  expect(worryOf(every, state && { state, at: at ?? '2026-03-10T11:00:00Z' }, now)).toBe(worry);
});
