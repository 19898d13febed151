import { field, lookup, narrowedBy, type PlanInput } from './parts';

/** The forms of the demo by key. */
export const ensemble: PlanInput = {
  format: 1,
  title: 'Ensemble',
  table: 'ensemble',
  startsAt: 'name',
  sections: [
    {
      key: 'ensemble',
      title: 'Ensemble',
      columns: 2,
      fields: [
        field('name', 'Name', { savesTo: 'name', required: true }),
        field('registered', 'In the Member Register', {
          help: 'Its code, contact and e-mail are taken over.',
          choices: {
            kind: 'outside',
            query: 'find_members',
            stores: 'code',
            shown: ['name', 'code'],
          },
          brings: [
            { path: 'code', into: 'member_code', keeps: 'kept', editable: true },
            { path: 'contact', into: 'contact', keeps: 'kept', editable: true },
            { path: 'email', into: 'email', keeps: 'kept', editable: true },
          ],
        }),
        field('member_code', 'Member code', { savesTo: 'member_code', required: true }),
        field('region', 'Region', { choices: lookup('region', ['name']) }),
        field('town', 'Town', {
          savesTo: 'town',
          required: true,
          choices: lookup('town', ['name'], { narrowings: [narrowedBy('region')] }),
        }),
        field('genres', 'Genres', {
          savesTo: 'genres',
          help: 'What the ensemble plays; as many as fit.',
          choices: lookup('genre', ['name']),
        }),
        field('rehearsals', 'Rehearsals', { savesTo: 'rehearsals' }),
      ],
    },
    {
      key: 'terms',
      title: 'Contact and terms',
      columns: 2,
      fields: [
        field('contact', 'Contact', { savesTo: 'contact' }),
        field('email', 'E-mail', { savesTo: 'email' }),
        field('phone', 'Phone', { savesTo: 'phone' }),
        field('weekly_rate', 'Weekly rate', {
          savesTo: 'weekly_rate',
          required: true,
          checks: [{ holds: 'weekly_rate >= 0', message: 'The rate cannot be below zero.' }],
        }),
        field('loans', 'Loans so far', {
          shows: 'list',
          choices: lookup('loan', ['number', 'lent_on', 'due_on', 'fee'], {
            narrowings: [{ path: 'ensemble.member_code', operator: 'equal', field: 'member_code' }],
            order: [{ path: 'lent_on', descending: true }],
            adds: false,
          }),
        }),
        field('evenings', 'Rehearsals a week', {
          holds: { kind: 'whole' },
          computes: 'count(rehearsals)',
          shows: 'line',
        }),
      ],
    },
  ],
};
