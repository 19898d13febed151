import Papa from 'papaparse';

/** No cell holds it: read with it, every quote is a part of its cell's text. */
const noQuote = '\u0000';

/**
 * Rows of cells as spreadsheets copy them, apart by tabs. They put a cell into quotes where it holds a tab, a
 * line break or spaces at its ends, and double the quotes inside; any other quote belongs to the text.
 */
export function pastedRows(text: string): string[][] {
  const block = text.replace(/\r?\n$/, '');
  const quoted = Papa.parse<string[]>(block, { delimiter: '\t' });
  const plain = Papa.parse<string[]>(block, { delimiter: '\t', quoteChar: noQuote });
  const wellQuoted = !quoted.errors.some(({ type }) => type === 'Quotes');
  const holdsMore = shape(quoted.data) !== shape(plain.data);
  return wellQuoted && holdsMore ? quoted.data : plain.data.map((row) => row.map(unwrapped));
}

/** Rows of cells as they are pasted, or stand in a CSV file: tabs, commas or semicolons, as the text has them. */
export function separatedRows(text: string): string[][] {
  if (text.includes('\t')) return pastedRows(text.trim()).filter((row) => row.join('') !== '');
  const how = { skipEmptyLines: true, delimitersToGuess: [',', ';'] };
  const quoted = Papa.parse<string[]>(text.trim(), how);
  if (!quoted.errors.some(({ type }) => type === 'Quotes')) return quoted.data;
  return Papa.parse<string[]>(text.trim(), { ...how, quoteChar: noQuote }).data;
}

const shape = (rows: readonly string[][]) => rows.map((row) => row.length).join();

function unwrapped(cell: string): string {
  const inner = /^"(.*)"$/s.exec(cell)?.[1];
  if (inner === undefined || inner.replaceAll('""', '').includes('"')) return cell;
  const needsQuotes = inner === '' || inner.includes('""') || inner !== inner.trim();
  return needsQuotes ? inner.replaceAll('""', '"') : cell;
}
