import { rootScope } from '$lib/core/plan/scopes';
import type { Table, House } from '$lib/core/table/definition';
import { listForms, loadEdition } from '../catalog/forms';
import { referencesTo } from '../catalog/usage';
import type { Database } from '../database/connection';
import { readRecords } from './read';
import type { RecordRow } from '../../core/contract/answers';

/** A form that can be filled for a record: it saves to its table, or to one that refers to it. */
export interface FillableForm {
  key: string;
  title: string;
}

/** The records of one table that refer to a record by one of its columns. */
export interface Referring {
  table: string;
  column: string;
  label: string;
  /** The first of them. */
  records: RecordRow[];
  total: number;
  more: boolean;
  /** The forms that make such a record, with the reference filled in. */
  forms: FillableForm[];
}

const mostShown = 8;

/** What refers to a record, table by table; many-to-many from the other side stand in the record itself. */
export async function referringTo(
  db: Database,
  tables: House,
  { key }: Table,
  id: number,
): Promise<Referring[]> {
  const found: Referring[] = [];
  for (const { table, column } of referencesTo(tables, key)) {
    if (column.type.kind !== 'reference') continue;
    const filter = [{ path: column.key, operator: 'equal' as const, values: [id] }];
    const page = await readRecords(db, tables, table, { filter, sort: [], limit: mostShown });
    found.push({
      table: table.key,
      column: column.key,
      label: column.label,
      records: page.records,
      total: page.total,
      more: page.more,
      forms: await formsFor(db, table.key, column.key),
    });
  }
  return found;
}

/** Published forms that save to a table, and to one of its columns where one is named. */
export async function formsFor(
  db: Database,
  table: string,
  column?: string,
): Promise<FillableForm[]> {
  const forms: FillableForm[] = [];
  for (const { key, title, edition, table: target } of await listForms(db)) {
    if (target !== table || edition === 0) continue;
    const { plan } = await loadEdition(db, key);
    const saves = rootScope(plan).fields.some(({ savesTo }) => savesTo === column);
    if (column === undefined || saves) forms.push({ key, title });
  }
  return forms;
}
