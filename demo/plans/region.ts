import { field, type PlanInput } from './parts';

export const region: PlanInput = {
  format: 1,
  title: 'Region',
  table: 'region',
  startsAt: 'name',
  sections: [
    {
      key: 'region',
      title: 'Region',
      columns: 3,
      fields: [
        field('name', 'Name', { savesTo: 'name', required: true }),
        field('players', 'Ensembles in the region', {
          holds: { kind: 'whole' },
          computes: 'sum(towns.members)',
          shows: 'line',
        }),
        field('only_without', 'Only towns without ensembles', { holds: { kind: 'yes_no' } }),
      ],
    },
    {
      key: 'towns',
      title: 'Towns',
      columns: 1,
      grid: {
        table: 'town',
        link: 'region',
        rowsWhen: 'parent.only_without != true or members = 0',
      },
      fields: [
        field('name', 'Town', { savesTo: 'name', required: true }),
        field('members', 'How many', {
          holds: { kind: 'whole' },
          computes: 'count(ensembles)',
          shows: 'line',
        }),
        field('weekly', 'Weekly rates', {
          holds: { kind: 'decimal', precision: 9, scale: 2 },
          computes: 'sum(ensembles.weekly_rate)',
          shows: 'line',
        }),
      ],
    },
    {
      key: 'ensembles',
      title: 'Ensembles',
      columns: 1,
      grid: { table: 'ensemble', link: 'town', within: 'towns' },
      fields: [
        field('name', 'Ensemble', { savesTo: 'name', required: true }),
        field('member_code', 'Member code', { savesTo: 'member_code', required: true }),
        field('contact', 'Contact', { savesTo: 'contact' }),
        field('weekly_rate', 'Weekly rate', {
          savesTo: 'weekly_rate',
          required: true,
          initial: '4.50',
          checks: [{ holds: 'weekly_rate >= 0', message: 'The rate cannot be below zero.' }],
        }),
      ],
    },
  ],
};
