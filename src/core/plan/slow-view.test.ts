import { describe, expect, it } from 'vitest';
import type { Operator } from '../table/conditions';
import type { Table } from '../table/definition';
import { slowBy } from './slow-view';

const column = (key: string, more: object = {}) => {
  const type = { kind: 'text' as const, format: 'plain' as const, length: 40 };
  return { key, label: key, type, required: false, unique: false, ...more };
};
const table: Table = {
  ...{ key: 'score', title: 'Score', display: ['title'] },
  columns: [
    column('title'),
    column('code', { unique: true, required: true }),
    column('tag', { unique: true }),
    column('shelf'),
    column('tale', { type: { kind: 'text', format: 'plain', length: 1000 } }),
    column('town', { type: { kind: 'reference', table: 'town' } }),
  ],
  indexes: [
    { kind: 'order', columns: ['title'] },
    { kind: 'order', columns: ['title', 'shelf'] },
    { kind: 'search', columns: ['shelf'] },
  ],
};
const sorted = (path: string) => [{ path, descending: false }];
const where = (path: string, operator: Operator = 'equal') => [{ path, operator, values: ['x'] }];
const told = (view: Parameters<typeof slowBy>[1]) => {
  const slow = slowBy(table, view);
  return (
    slow &&
    `${slow.by} ${slow.columns.map(({ key }) => key).join()} ${slow.index?.columns.join() ?? 'no index'}`
  );
};

describe('a view of a large table', () => {
  it.each([
    ['as it is', { filter: [], sort: [] }],
    ['sorted by its number', { filter: [], sort: sorted('id') }],
    ['sorted by a column that has an index', { filter: [], sort: sorted('title') }],
    ['sorted by a unique one, or by a reference', { filter: [], sort: sorted('code') }],
    ['narrowed by a reference', { filter: where('town'), sort: sorted('shelf') }],
    [
      'narrowed by one comparison that an index serves',
      { filter: [...where('shelf'), ...where('code')], sort: [] },
    ],
  ])('is quick %s', (_, view) => {
    expect(told(view)).toBeNull();
  });

  it.each([
    ['sort shelf shelf', { filter: [], sort: sorted('shelf') }],
    ['sort town no index', { filter: [], sort: sorted('town.name') }],
    ['sort tag tag', { filter: [], sort: sorted('tag') }],
    [
      'sort shelf,title shelf,title',
      { filter: [], sort: [...sorted('shelf'), ...sorted('title')] },
    ],
    [
      'sort shelf,town no index',
      { filter: [], sort: [...sorted('shelf'), ...sorted('town.name')] },
    ],
    ['sort tale no index', { filter: [], sort: sorted('tale') }],
    ['filter shelf shelf', { filter: where('shelf', 'begins_with'), sort: [] }],
    ['filter shelf no index', { filter: where('shelf', 'contains'), sort: [] }],
    ['filter code no index', { filter: where('code', 'not_equal'), sort: [] }],
    ['sort shelf shelf', { filter: where('title', 'contains'), sort: sorted('shelf') }],
  ])('is slow: %s', (expected, view) => {
    expect(told(view)).toBe(expected);
  });
});
