import { field, lookup, shown, inStore, type PlanInput } from './parts';

export const receiveCopies: PlanInput = {
  format: 1,
  title: 'Receive copies',
  table: 'copy_movement',
  startsAt: 'score',
  sections: [
    {
      key: 'copies',
      title: 'Copies',
      columns: 3,
      fields: [
        field('score', 'Score code', {
          savesTo: 'score',
          required: true,
          initially: 'link.code',
          choices: lookup('score', ['code', 'title'], { typedBy: 'code' }),
          brings: [shown('title'), shown('composer')],
        }),
        field('quantity', 'Quantity', {
          savesTo: 'quantity',
          required: true,
          initial: 1,
          checks: [{ holds: 'quantity >= 1', message: 'Receive at least one copy.' }],
        }),
        field('kind', 'Kind', { savesTo: 'kind', required: true, initial: 'received' }),
        field('moved_on', 'Date', { savesTo: 'moved_on', required: true, initially: 'today()' }),
        inStore('in_store', 'In the store'),
        field('on_hand', 'On hand afterwards', {
          holds: { kind: 'whole' },
          computes: 'in_store + (if kind in ("received", "returned") then quantity else -quantity)',
          shows: 'line',
          checks: [{ holds: 'on_hand >= 0', message: 'There would be {on_hand} copies left.' }],
        }),
      ],
    },
  ],
};
