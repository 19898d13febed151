import { field, lookup, distinct, narrowedBy, shown, type PlanInput } from './parts';

export const orderAccessories: PlanInput = {
  format: 1,
  title: 'Order accessories',
  table: 'accessory_order',
  sections: [
    {
      key: 'article',
      title: 'Article',
      columns: 3,
      fields: [
        field('category', 'Category', { choices: distinct('category', []) }),
        field('article', 'Article', { choices: distinct('article', ['category']) }),
        field('gauge', 'Gauge', {
          help: 'Some articles have none.',
          choices: distinct('gauge', ['category', 'article']),
        }),
        field('accessory', 'Pack', {
          savesTo: 'accessory',
          required: true,
          choices: lookup('accessory', ['maker.name', 'pack_size', 'price'], {
            narrowings: [
              narrowedBy('category'),
              narrowedBy('article'),
              { ...narrowedBy('gauge'), whileEmpty: 'everything' },
            ],
            order: [{ path: 'pack_size' }, { path: 'price' }],
            takeOnly: true,
          }),
          brings: [shown('in_stock'), { path: 'price', into: 'price' }],
        }),
      ],
    },
    {
      key: 'order',
      title: 'Order',
      columns: 3,
      fields: [
        field('packs', 'Packs', { savesTo: 'packs', required: true, initial: 1 }),
        field('price', 'Price of a pack', { shows: 'line' }),
        field('cost', 'Cost', {
          holds: { kind: 'decimal', precision: 10, scale: 2 },
          computes: 'price * packs',
          shows: 'line',
        }),
        field('ordered_on', 'Ordered on', {
          savesTo: 'ordered_on',
          required: true,
          initially: 'today()',
        }),
        field('note', 'Note', { savesTo: 'note' }),
      ],
    },
  ],
};
