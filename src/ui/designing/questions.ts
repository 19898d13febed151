import { say, spoken } from '$lib/core/words/say';
/** The designer's questions in the order in which they are asked: the columns of the plan sheet. */
export const questions = spoken(
  () =>
    [
      { key: 'field', label: say('Field') },
      { key: 'source', label: say('Comes from') },
      { key: 'narrowed', label: say('Narrowed by') },
      { key: 'brings', label: say('Brings') },
      { key: 'rules', label: say('Rules') },
      { key: 'saves', label: say('Saves to') },
    ] as const,
);
export type Question = (typeof questions)[number]['key'];

/** A cell of the sheet: a field and a question. */
export interface Cell {
  field: string;
  question: Question;
}

/** Where a cell stands, for the service of the cursor. */
export function cellAddress({ field, question }: Cell): string {
  return `plan ${field} ${question}`;
}
