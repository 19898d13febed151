import type { Member } from '../simulators/identity';
import type { AccountWish } from '../src/core/access/person';
import { keeperKey, type Role } from '../src/core/access/role';
import type { Database } from '../src/server/database/connection';
import { tableSql } from '../src/server/database/ddl';
import { listAccounts, makeAccount } from '../src/server/access/accounts';
import { keepRole, readRoles } from '../src/server/access/roles';

const sees = (when = '', more: { hidden?: string[] } = {}) => ({
  does: ['see' as const],
  hidden: more.hidden ?? [],
  readOnly: [],
  when,
});

/** The roles of the demo beside the shipped ones: what a region lends, and who reports on instruments. */
export const demoRoles: readonly Role[] = [
  {
    key: 'lending_clerk',
    title: 'Lending clerk',
    note: 'Lends music to the ensembles of one region.',
    tables: {
      '*': sees(),
      region: sees('id = person.region'),
      town: sees('region = person.region'),
      ensemble: sees('town.region = person.region'),
      loan: sees('ensemble.town.region = person.region'),
      loan_line: sees('loan.ensemble.town.region = person.region'),
      instrument: sees('', { hidden: ['insured_value'] }),
    },
    forms: {
      lend_music: ['fill', 'open'],
      receive_copies: ['fill', 'open'],
      order_accessories: ['fill', 'open'],
      member_details: ['fill', 'open'],
      hall_check: ['fill', 'open'],
    },
    places: [],
  },
  {
    key: 'instrument_clerk',
    title: 'Instrument clerk',
    note: 'Reports on instruments.',
    tables: {
      instrument_family: sees(),
      instrument_type: sees(),
      maker: sees(),
      instrument: sees(),
      condition_report: sees(),
      defect: sees(),
      region: sees(),
      town: sees(),
      ensemble: sees(),
      check_question: sees(),
      hall_check: sees(),
      hall_check_answer: sees(),
    },
    forms: { condition_report: ['fill', 'open'], hall_check: ['fill', 'open'] },
    places: [],
  },
];

/** The people of the demo, with the region for which some of them stand. */
const people: readonly (Omit<AccountWish, 'email' | 'link'> & { region?: string })[] = [
  { name: 'ottilie', shown: 'Ottilie Marrable', roles: [keeperKey] },
  { name: 'anselm', shown: 'Anselm Thackery', roles: ['designer'] },
  { name: 'brida', shown: 'Brida Quist', roles: ['lending_clerk'], region: 'North Marches' },
  { name: 'rurik', shown: 'Rurik Velden', roles: ['lending_clerk'], region: 'Corran Vale' },
  { name: 'hesper', shown: 'Hesper Nairne', roles: ['instrument_clerk'] },
];

/** Whom the simulated sign-in of the council knows: the people of the demo, and one who has no account. */
export function councilMembers(): Member[] {
  const known = people.map(({ name, shown }) => ({ id: name, name: shown, email: mailOf(name) }));
  return [...known, { id: 'wilmot', name: 'Wilmot Sarn', email: mailOf('wilmot') }];
}

function mailOf(name: string): string {
  return `${name}@example.org`;
}

/** Makes the roles and the people that are missing; the people sign in by one click. */
export async function loadPeople(db: Database): Promise<void> {
  const roles = await readRoles(db, db.knex);
  for (const role of demoRoles) if (!roles.has(role.key)) await keepRole(db, role, 'make');
  const there = new Set((await listAccounts(db)).map(({ name }) => name));
  for (const { region, ...person } of people) {
    if (there.has(person.name)) continue;
    const link = region === undefined ? null : await regionLink(db, region);
    await makeAccount(db, { ...person, email: mailOf(person.name), link }, { demo: true });
  }
}

async function regionLink(db: Database, region: string): Promise<AccountWish['link']> {
  const sql = `select id from ${tableSql(db, 'region')} where name = ?`;
  const [[row]] = await db.knex.raw(sql, [region]);
  return row ? { table: 'region', record: Number(row.id) } : null;
}
