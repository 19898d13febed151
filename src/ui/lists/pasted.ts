import { separatedRows } from '$lib/ui/shared/pasted';

/** Rows of an option list as they are pasted, or stand in a CSV file; without their header, where there is one. */
export function rowsOfText(text: string): string[][] {
  const rows = separatedRows(text);
  const headed = rows[0]?.[0]?.trim().toLowerCase() === 'label';
  return headed ? rows.slice(1) : rows;
}
