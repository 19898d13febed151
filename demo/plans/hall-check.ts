import { field, lookup, shown, type PlanInput } from './parts';

export const hallCheck: PlanInput = {
  format: 1,
  title: 'Hall check',
  description: 'Before a large instrument goes out: is the hall fit for it?',
  table: 'hall_check',
  startsAt: 'checklist',
  after: { message: 'Thank you, {checked_by}. {hall} has {points} points.' },
  mails: [
    {
      when: 'checked_on >= today()',
      to: 'ottilie',
      subject: 'Hall check: {hall}',
      text: '{checked_by} has checked {hall} on {checked_on}. It has {points} points.',
    },
  ],
  sections: [
    {
      key: 'hall',
      title: '',
      columns: 2,
      fields: [
        field('checklist', 'What is checked?', {
          ...{ savesTo: 'checklist', required: true, control: 'radio', carries: true },
        }),
        field('points', 'Points', { savesTo: 'points', shows: 'line' }),
        field('town', 'Town', {
          ...{ savesTo: 'town', required: true },
          choices: lookup('town', ['name', 'region.name']),
          brings: [shown('region.name')],
        }),
        field('hall', 'Hall', { savesTo: 'hall', required: true }),
        field('checked_on', 'Checked on', {
          ...{ savesTo: 'checked_on', required: true, initially: 'today()' },
        }),
        field('checked_by', 'Checked by', {
          ...{ savesTo: 'checked_by', required: true, initially: 'person.name' },
        }),
        field('photographs', 'Photographs of the hall', { savesTo: 'photographs' }),
      ],
    },
    {
      key: 'questions',
      title: '',
      columns: 2,
      fields: [],
      questions: {
        table: 'check_question',
        narrowings: [{ path: 'checklist', operator: 'equal', field: 'checklist' }],
        columns: {
          ...{ code: 'code', text: 'question', kind: 'kind', required: 'must', choices: 'choices' },
          ...{ help: 'help', order: 'place', group: 'heading', when: 'asked_when' },
          ...{ points: 'points', least: 'least', greatest: 'greatest', unit: 'unit' },
        },
        points: 'points',
        answers: {
          ...{ table: 'hall_check_answer', sheet: 'hall_check', code: 'code', asked: 'asked' },
          ...{ question: 'check_question', text: 'words', number: 'amount', day: 'day' },
          ...{ yesNo: 'yes', option: 'choice', record: 'record', files: 'files' },
        },
      },
    },
  ],
};
