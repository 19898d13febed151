import Papa from 'papaparse';

/** Rows of cells as they are pasted, or stand in a CSV file: tabs or commas, as the text has them. */
export function rowsOfText(text: string): string[][] {
  const delimiter = text.includes('\t') ? '\t' : '';
  const parsed = Papa.parse<string[]>(text.trim(), {
    skipEmptyLines: true,
    ...(delimiter ? { delimiter } : { delimitersToGuess: [',', ';'] }),
  });
  const [first = []] = parsed.data;
  const headed = first[0]?.trim().toLowerCase() === 'label';
  return headed ? parsed.data.slice(1) : parsed.data;
}
