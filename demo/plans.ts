import { plainField } from '../src/core/plan/draft';
import type { Field, Plan, TableChoices } from '../src/core/plan/schema';

/** The forms of the demo by key. */
export const demoPlans: Record<string, Plan> = {
  lend_music: {
    format: 1,
    title: 'Lend music',
    table: 'loan',
    sections: [
      {
        key: 'borrower',
        title: 'Borrower',
        columns: 3,
        fields: [
          field('region', 'Region', { choices: lookup('region', ['name']) }),
          field('town', 'Town', {
            choices: lookup('town', ['name'], { narrowings: [narrowedBy('region', 'region')] }),
          }),
          field('ensemble', 'Ensemble', {
            savesTo: 'ensemble',
            required: true,
            choices: lookup('ensemble', ['name', 'member_code'], {
              narrowings: [narrowedBy('town', 'town')],
              takeOnly: true,
            }),
          }),
        ],
      },
      {
        key: 'music',
        title: 'Music',
        columns: 2,
        fields: [
          field('score', 'Score', {
            savesTo: 'score',
            required: true,
            help: 'Type words of the title or the composer, or the code.',
            choices: lookup('score', ['code', 'title', 'composer']),
          }),
          field('copies', 'Copies', { savesTo: 'copies', required: true, initial: 1 }),
        ],
      },
      {
        key: 'terms',
        title: 'Terms',
        columns: 3,
        fields: [
          field('purpose', 'Purpose', { savesTo: 'purpose', required: true }),
          field('lent_on', 'Lent on', { savesTo: 'lent_on', required: true }),
          field('due_on', 'Due back', { savesTo: 'due_on' }),
          field('note', 'Note', { savesTo: 'note' }),
        ],
      },
    ],
  },
  order_accessories: {
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
                narrowedBy('category', 'category'),
                narrowedBy('article', 'article'),
                { ...narrowedBy('gauge', 'gauge'), whileEmpty: 'everything' },
              ],
              order: [
                { path: 'pack_size', descending: false },
                { path: 'price', descending: false },
              ],
              takeOnly: true,
            }),
          }),
        ],
      },
      {
        key: 'order',
        title: 'Order',
        columns: 3,
        fields: [
          field('packs', 'Packs', { savesTo: 'packs', required: true, initial: 1 }),
          field('ordered_on', 'Ordered on', { savesTo: 'ordered_on', required: true }),
          field('note', 'Note', { savesTo: 'note' }),
        ],
      },
    ],
  },
};

function field(key: string, label: string, more: Partial<Field>): Field {
  return { ...plainField(label), key, ...more };
}

function lookup(table: string, shown: string[], more: Partial<TableChoices> = {}): TableChoices {
  return {
    kind: 'table',
    table,
    shown,
    stores: { kind: 'link' },
    order: shown.slice(0, 1).map((path) => ({ path, descending: false })),
    distinct: false,
    conditions: [],
    narrowings: [],
    takeOnly: false,
    ...more,
  };
}

function distinct(column: string, by: string[]): TableChoices {
  return lookup('accessory', [column], {
    stores: { kind: 'copy', column },
    distinct: true,
    narrowings: by.map((name) => narrowedBy(name, name)),
  });
}

function narrowedBy(path: string, field: string): TableChoices['narrowings'][number] {
  return { path, operator: 'equal', field, whileEmpty: 'nothing' };
}
