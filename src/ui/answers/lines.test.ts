import { describe, expect, it } from 'vitest';
import { answerLines, answersCsv } from './lines';

const question = {
  ...{ code: 'q', text: '=1+1', kind: 'one_of' as const, group: '', unit: '' },
  ...{ answered: { n: 3, before: 1 }, spread: null, spreadBefore: null, texts: [] },
  bars: [{ label: 'A "b", c', n: 2, before: 1 }],
  bins: [{ from: 0, to: 5, n: 1, before: 0 }],
  months: [{ month: '2026-03', n: 4, before: 0 }],
};

describe('A10 answers as a table, and out', () => {
  it('has a line for each number', () => {
    const lines = answerLines({ sheets: { n: 5, before: 2 }, questions: [question] });
    expect(lines.map(({ answer, n }) => [answer, n])).toEqual([
      ['', 5],
      ['answered', 3],
      ['A "b", c', 2],
      ['0 – 5', 1],
      ['2026-03', 4],
    ]);
  });

  it('is CSV that no spreadsheet takes for formulas', () => {
    const [, line] = answersCsv([{ question: '=1+1', answer: 'A "b", c', n: 2, before: 1 }]).split(
      '\r\n',
    );
    expect(line).toBe(`"'=1+1","A ""b"", c",2,1`);
  });
});
