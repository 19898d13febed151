/** The designer's questions in the order in which they are asked: the columns of the plan sheet. */
export const questions = [
  { key: 'field', label: 'Field' },
  { key: 'source', label: 'Comes from' },
  { key: 'narrowed', label: 'Narrowed by' },
  { key: 'brings', label: 'Brings' },
  { key: 'rules', label: 'Rules' },
  { key: 'saves', label: 'Saves to' },
] as const;
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
