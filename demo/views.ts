import { namedViewSchema, type NamedView } from '../src/core/table/view';

/** Named views of the demo's tables. */
export const demoViews: Record<string, NamedView[]> = {
  loan: [
    namedViewSchema.parse({
      key: 'by_purpose',
      title: 'Fees by purpose',
      group: 'purpose',
      sort: [{ path: 'lent_on', descending: true }],
      totals: [
        { column: 'fee', kind: 'sum' },
        { column: 'weeks', kind: 'average' },
      ],
      thresholds: [
        { column: 'fee', from: '200', tone: 'watch', word: 'high' },
        { column: 'fee', from: '400', tone: 'bad', word: 'ask first' },
      ],
    }),
  ],
  loan_line: [
    namedViewSchema.parse({
      key: 'fees',
      title: 'Fees',
      thresholds: [{ column: 'fee', from: '100', tone: 'watch', word: 'high' }],
    }),
  ],
  score: [
    namedViewSchema.parse({
      key: 'long_ones',
      title: 'Long ones by era',
      group: 'era',
      filter: [{ path: 'pages', operator: 'at_least', values: [180] }],
      totals: [
        { column: 'pages', kind: 'average' },
        { column: 'pages', kind: 'greatest' },
      ],
    }),
  ],
};
