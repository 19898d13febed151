import { field, lookup, narrowedBy, shown, inStore, type PlanInput } from './parts';

export const lendMusic: PlanInput = {
  format: 1,
  title: 'Lend music',
  table: 'loan',
  sections: [
    {
      key: 'borrower',
      title: 'Borrower',
      columns: 3,
      fields: [
        field('region', 'Region', {
          // Who sees one region only begins with it.
          choices: lookup('region', ['name'], { takeOnly: true }),
        }),
        field('town', 'Town', {
          choices: lookup('town', ['name'], { narrowings: [narrowedBy('region')] }),
        }),
        field('ensemble', 'Ensemble', {
          savesTo: 'ensemble',
          required: true,
          choices: lookup('ensemble', ['name', 'member_code'], {
            narrowings: [narrowedBy('town')],
            takeOnly: true,
          }),
          brings: [
            shown('phone'),
            shown('email'),
            { path: 'contact', into: 'contact', keeps: 'kept', editable: true },
            { path: 'weekly_rate', into: 'rate' },
          ],
        }),
        field('contact', 'Contact', {
          savesTo: 'contact',
          help: 'As it is when the loan is made.',
        }),
        field('rate', 'Weekly rate', { shows: 'line' }),
      ],
    },
    {
      key: 'terms',
      title: 'Terms',
      columns: 3,
      fields: [
        field('purpose', 'Purpose', { savesTo: 'purpose', required: true }),
        field('weeks', 'Weeks', {
          savesTo: 'weeks',
          required: true,
          initial: 4,
          checks: [{ holds: 'weeks between 1 and 52', message: 'A loan lasts 1 to 52 weeks.' }],
        }),
        field('lent_on', 'Lent on', { savesTo: 'lent_on', required: true, initially: 'today()' }),
        field('due_on', 'Due back', {
          savesTo: 'due_on',
          initially: 'lent_on + @"P7D" * weeks',
          checks: [{ holds: 'due_on > lent_on', message: 'Due back must be after lent on.' }],
        }),
        field('note', 'Note', {
          savesTo: 'note',
          help: 'Say why, for more than 12 weeks.',
          requiredWhen: 'weeks > 12',
        }),
      ],
    },
    {
      key: 'lines',
      title: 'Lines',
      columns: 1,
      grid: { table: 'loan_line', link: 'loan', view: 'fees' },
      fields: [
        field('score', 'Score', {
          savesTo: 'score',
          required: true,
          lockedWhen: 'before.score != null',
          choices: lookup('score', ['code', 'title', 'composer']),
          brings: [{ path: 'pages', into: 'pages' }],
        }),
        field('pages', 'Pages', { shows: 'line' }),
        inStore('in_store', 'In the store'),
        field('on_hand', 'On hand', {
          holds: { kind: 'whole' },
          help: 'With the copies that stand in this line.',
          computes: 'in_store + (if before.copies = null then 0 else before.copies)',
          shows: 'line',
        }),
        field('copies', 'Copies', {
          savesTo: 'copies',
          required: true,
          initial: 1,
          checks: [
            {
              holds: 'copies <= on_hand',
              message: 'Copies: {copies} asked, {on_hand} on hand. Lower the number.',
            },
            { holds: 'copies >= 1', message: 'Lend at least one copy.' },
          ],
        }),
        field('fee', 'Fee', {
          savesTo: 'fee',
          computes: 'parent.rate * copies * parent.weeks * (if parent.weeks > 8 then 0.9 else 1)',
        }),
      ],
    },
    {
      key: 'total',
      title: 'Total',
      columns: 3,
      fields: [
        field('all_copies', 'Copies in all', {
          holds: { kind: 'whole' },
          computes: 'sum(lines.copies)',
          shows: 'line',
        }),
        field('fee', 'Fee', {
          savesTo: 'fee',
          help: 'A tenth less for more than 8 weeks.',
          computes: 'sum(lines.fee)',
          shows: 'line',
          checks: [
            { holds: 'count(lines) > 0', message: 'Lend at least one score.' },
            {
              holds: 'count(distinct values(lines.score)) = count(lines.score)',
              message: 'A score stands in two lines: put its copies into one.',
            },
          ],
        }),
      ],
    },
  ],
  writes: [
    {
      table: 'copy_movement',
      each: 'lines',
      on: 'every_save',
      when: 'copies != before.copies',
      values: {
        score: 'score',
        kind: 'if before.copies = null or copies > before.copies then "lent" else "returned"',
        quantity: 'abs(copies - (if before.copies = null then 0 else before.copies))',
        moved_on: 'if before.copies = null then parent.lent_on else today()',
      },
    },
    {
      table: 'copy_movement',
      each: 'lines',
      on: 'removal',
      values: {
        score: 'before.score',
        kind: '"returned"',
        quantity: 'before.copies',
        moved_on: 'today()',
      },
    },
  ],
};
