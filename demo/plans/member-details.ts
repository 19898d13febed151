import { field, type PlanInput } from './parts';

export const memberDetails: PlanInput = {
  format: 1,
  title: 'Member details',
  table: 'ensemble',
  startsAt: 'contact',
  through: {
    query: 'member_by_code',
    key: 'code',
    write: { method: 'PUT' },
    columns: { name: 'name', contact: 'contact', email: 'email', phone: 'phone' },
  },
  sections: [
    {
      key: 'member',
      title: 'Member',
      columns: 2,
      fields: [
        field('name', 'Name', { lockedWhen: 'true', shows: 'line' }),
        field('contact', 'Contact', { required: true }),
        field('email', 'E-mail', {
          checks: [{ holds: 'contains(email, "@")', message: 'An e-mail address has an @.' }],
        }),
        field('phone', 'Phone'),
      ],
    },
  ],
};
