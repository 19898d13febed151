import { Rights } from '$lib/core/access/rights';
import { roleSchema } from '$lib/core/access/role';
import { fail } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { readRecordCondition } from '$lib/core/table/record-condition';
import { personPaths, seenHouse, sightOf } from '$lib/core/table/seen';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { seenTable } from '../records/sight';
import { listAccounts } from './accounts';
import { personValues } from './house';

/** At most so many people are told of. */
const mostPeople = 20;

/** How many records of a table a condition shows to each person of a role; or what is wrong with it. */
export async function tryCondition(
  db: Database,
  whole: House,
  role: string,
  table: string,
  when: string,
): Promise<{ total: number; people: { shown: string; records: number }[] }> {
  const { title } = tableFrom(whole, table);
  const count = async (house: House) => {
    const sql = `select count(*) as n from ${seenTable(db, house, table, 'r')}`;
    const [[row]] = await db.knex.raw(sql);
    return Number(row.n);
  };
  const total = await count(whole);
  if (when.trim() !== '') {
    const read = readRecordCondition(whole, tableFrom(whole, table), when);
    if ('problem' in read) {
      const { code, message } = read.problem.problem;
      const given = when.slice(read.problem.from, read.problem.to);
      if (code !== 'condition_not_here') return fail('condition_unreadable', { reason: message });
      return fail('condition_not_here', { given, table: title }, 422, 'when');
    }
  }
  const trial = roleSchema.parse({
    ...{ key: role, title: role, tables: { [table]: { does: ['see'], when } } },
  });
  const rights = new Rights([trial]);
  const accounts = (await listAccounts(db)).filter(({ roles }) => roles.includes(role));
  const people = [];
  for (const person of accounts.slice(0, mostPeople)) {
    const values = await personValues(db, whole, person, personPaths(whole, rights));
    const house = seenHouse(whole, sightOf(whole, rights, values));
    people.push({ shown: person.shown, records: await count(house) });
  }
  return { total, people };
}
