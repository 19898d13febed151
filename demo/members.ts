import type { Member } from '../simulators/systems';
import { demoTables } from './tables';

/** The ensembles of the demo, as the Member Register knows them. */
export function demoMembers(): Member[] {
  const table = demoTables().find(({ key }) => key === 'ensemble');
  const columns = table?.columns.map(({ key }) => key) ?? [];
  const at = (row: readonly string[], key: string) => row[columns.indexOf(key)] ?? '';
  return [...(table?.rows() ?? [])].map((row) => ({
    code: at(row, 'member_code'),
    name: at(row, 'name'),
    contact: { name: at(row, 'contact'), email: at(row, 'email'), phone: at(row, 'phone') },
    version: 1,
  }));
}
