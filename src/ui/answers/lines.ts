import Papa from 'papaparse';
import { say } from '$lib/core/words/say';
import type { CountedAnswers } from '$lib/core/contract/counted';

/** One number of the answers, as a table has it. */
export interface AnswerLine {
  question: string;
  answer: string;
  n: number;
  before: number;
}

/** The answers as lines of a table: how many answered, and how often each was chosen. */
export function answerLines({ sheets, questions }: CountedAnswers): AnswerLine[] {
  return [
    { question: say('Sheets'), answer: '', ...sheets },
    ...questions.flatMap(({ text: question, answered, bars, bins, months }): AnswerLine[] => [
      { question, answer: say('answered'), ...answered },
      ...bars.map(({ label, n, before }) => ({ question, answer: label, n, before })),
      ...bins.map(({ from, to, n, before }) => {
        return { question, answer: `${from} – ${to}`, n, before };
      }),
      ...months.map(({ month, n, before }) => ({ question, answer: month, n, before })),
    ]),
  ];
}

/** The same as CSV (RFC 4180); what a spreadsheet would take for a formula is no formula. */
export function answersCsv(lines: readonly AnswerLine[]): string {
  return Papa.unparse(
    lines.map(({ question, answer, n, before }) => ({ question, answer, n, before })),
    { escapeFormulae: true, newline: '\r\n' },
  );
}
