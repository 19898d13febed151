import { lookup } from '$lib/core/plan/draft';
import type { House } from '$lib/core/table/definition';
import { formatValue } from '$lib/core/values/format';
import { reader } from '$lib/core/words/reader';
import type { Database } from '../database/connection';
import { firstChoices } from './choices';

/** A record that was found by what is shown of it. */
export interface FoundRecord {
  table: string;
  id: number;
  shown: string;
}

/** So many records of one table are found, and so many in all. */
const mostOfTable = 3;
const mostFound = 12;
/** Milliseconds after which no further table is searched. */
const longest = 600;

/** The records of all tables that a text finds, by what names them. */
export async function findRecords(
  db: Database,
  tables: House,
  text: string,
): Promise<FoundRecord[]> {
  const until = performance.now() + longest;
  const found: FoundRecord[] = [];
  for (const table of tables.values()) {
    if (performance.now() > until) break;
    const choices = lookup(table.key, tables);
    if (choices.shown.length === 0) continue;
    const wish = { choices, given: {}, current: null, search: text, limit: mostOfTable };
    const { types, page } = await firstChoices(db, tables, wish);
    for (const { value, shown } of page) {
      const parts = shown.flatMap((part, i) => {
        const type = types[i];
        return part === null || !type ? [] : [formatValue(type, part, reader())];
      });
      found.push({ table: table.key, id: Number(value), shown: parts.join(' · ') });
    }
  }
  // What is named so comes before what only has it at its end.
  const place = ({ shown }: FoundRecord) => {
    const at = shown.toLowerCase().indexOf(text.toLowerCase());
    return at === -1 ? shown.length : at;
  };
  return found.sort((a, b) => place(a) - place(b)).slice(0, mostFound);
}
