import type { z } from 'zod';
import { planSchema, type bringSchema, type fieldSchema, type Plan } from '../src/core/plan/schema';

type PlanInput = z.input<typeof planSchema>;
type FieldInput = z.input<typeof fieldSchema>;
type ChoicesInput = Extract<NonNullable<FieldInput['choices']>, { kind: 'table' }>;

const lendMusic: PlanInput = {
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
        movements('came_in', 'Came in', ['received', 'returned']),
        movements('went_out', 'Went out', ['lent', 'lost']),
        field('on_hand', 'On hand', {
          holds: { kind: 'whole' },
          help: 'With the copies that stand in this line.',
          computes: 'came_in - went_out + (if before.copies = null then 0 else before.copies)',
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

const receiveCopies: PlanInput = {
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
        movements('came_in', 'Came in', ['received', 'returned']),
        movements('went_out', 'Went out', ['lent', 'lost']),
        field('on_hand', 'On hand afterwards', {
          holds: { kind: 'whole' },
          computes:
            'came_in - went_out + (if kind in ("received", "returned") then quantity else -quantity)',
          shows: 'line',
          checks: [{ holds: 'on_hand >= 0', message: 'There would be {on_hand} copies left.' }],
        }),
      ],
    },
  ],
};

const conditionReport: PlanInput = {
  format: 1,
  title: 'Condition report',
  table: 'condition_report',
  sections: [
    {
      key: 'instrument',
      title: 'Instrument',
      columns: 3,
      fields: [
        field('family', 'Family', { choices: lookup('instrument_family', ['name']) }),
        field('type', 'Type', {
          choices: lookup('instrument_type', ['name'], { narrowings: [narrowedBy('family')] }),
        }),
        field('instrument', 'Instrument', {
          savesTo: 'instrument',
          required: true,
          choices: lookup('instrument', ['asset_number', 'maker.name', 'serial'], {
            narrowings: [{ ...narrowedBy('type'), whileEmpty: 'everything' }],
          }),
          brings: [
            shown('type.family.name'),
            shown('maker.name'),
            shown('status'),
            shown('condition'),
            { path: 'insured_value', into: 'insured_value', keeps: 'kept' },
            { path: null, by: 'which', into: 'looked_up' },
            { path: 'asset_number', into: 'asset' },
            { path: 'type.name', into: 'type_name' },
            { path: 'maker.name', into: 'maker_name' },
            { path: 'size', into: 'size' },
          ],
        }),
        field('asset', 'Asset number', { shows: 'nothing' }),
        field('type_name', 'Name of the type', { shows: 'nothing' }),
        field('maker_name', 'Name of the maker', { shows: 'nothing' }),
        field('size', 'Size', { shows: 'nothing' }),
        field('valued_at', 'Valued at', {
          help: 'What the Valuation Desk says it is worth today.',
          outside: {
            query: 'valuation',
            column: 'value',
            given: [
              { parameter: 'type', field: 'type_name' },
              { parameter: 'maker', field: 'maker_name', optional: true },
              { parameter: 'size', field: 'size', optional: true },
            ],
          },
          shows: 'line',
        }),
        field('insured_value', 'Insured value', { savesTo: 'insured_value' }),
        field('which', 'Look up', {
          help: 'Any other column of the instrument.',
          choices: { kind: 'columns', of: 'instrument', paths: ['serial', 'size', 'status'] },
        }),
        field('looked_up', 'Looked up', { shows: 'line' }),
        field('bookings', 'Bookings at the Repair Workshop', {
          shows: 'list',
          choices: {
            kind: 'outside',
            query: 'bookings',
            stores: 'id',
            shown: ['begins_on', 'ends_on', 'work', 'state'],
            given: [{ parameter: 'asset', field: 'asset' }],
          },
        }),
      ],
    },
    {
      key: 'findings',
      title: 'Findings',
      columns: 3,
      fields: [
        field('reported_on', 'Reported on', {
          savesTo: 'reported_on',
          required: true,
          initially: 'today()',
        }),
        field('reported_by', 'Reported by', {
          savesTo: 'reported_by',
          required: true,
          initially: 'person',
        }),
        field('condition', 'Condition now', { savesTo: 'condition', required: true }),
        field('damage', 'Damage found', { savesTo: 'damage', required: true, initial: false }),
        field('damage_kind', 'Kind of damage', {
          savesTo: 'damage_kind',
          shownWhen: 'damage',
          requiredWhen: 'damage',
        }),
        field('repair_cost', 'Repair cost', {
          savesTo: 'repair_cost',
          shownWhen: 'damage',
          lockedWhen: 'insured_value = null',
          checks: [
            {
              holds: 'repair_cost <= insured_value',
              message:
                'The repair would cost {repair_cost}, more than the insured value of {insured_value}.',
            },
          ],
        }),
        field('share', 'Share of the value', {
          holds: { kind: 'decimal', precision: 6, scale: 1 },
          computes: 'repair_cost / insured_value * 100',
          shows: 'line',
          shownWhen: 'damage and repair_cost != null',
          help: 'In per cent.',
        }),
        field('description', 'Description', {
          savesTo: 'description',
          shownWhen: 'damage',
          requiredWhen: 'condition = "damaged"',
        }),
      ],
    },
    {
      key: 'defects',
      title: 'Defects',
      columns: 1,
      grid: { table: 'defect', link: 'condition_report', shownWhen: 'damage' },
      fields: [
        field('part', 'Part', { savesTo: 'part', required: true }),
        field('area', 'Where', { choices: { kind: 'options', list: 'defect_areas' } }),
        field('kind', 'Kind', {
          savesTo: 'kind',
          required: true,
          choices: { kind: 'options', list: 'defect_kinds', by: 'area' },
        }),
        field('remark', 'Remark', { savesTo: 'remark' }),
      ],
    },
  ],
  buttons: [
    {
      key: 'value_again',
      label: 'Ask for its value again',
      when: 'instrument != null',
      steps: [{ do: 'ask' }],
    },
    {
      key: 'worn_out',
      label: 'Worn out, ask the register',
      when: 'instrument != null and not(damage)',
      steps: [
        { do: 'set', field: 'condition', to: '"worn"' },
        {
          do: 'tell',
          connection: 'member_register',
          address: 'notes',
          values: { instrument: 'asset', asks: '"Is it to be replaced?"' },
        },
      ],
    },
  ],
  sends: [
    {
      connection: 'member_register',
      when: 'damage and repair_cost != null',
      address: 'notes',
      values: { instrument: 'asset', reported_on: 'reported_on', repair_cost: 'repair_cost' },
    },
  ],
  writes: [
    {
      table: 'instrument',
      on: 'every_save',
      record: 'instrument',
      when: 'condition != before.condition',
      values: { condition: 'condition' },
    },
  ],
};

const orderAccessories: PlanInput = {
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

/** The forms of the demo by key. */
const ensemble: PlanInput = {
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

const memberDetails: PlanInput = {
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

const region: PlanInput = {
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

export const demoPlans: Record<string, Plan> = {
  lend_music: planSchema.parse(lendMusic),
  receive_copies: planSchema.parse(receiveCopies),
  condition_report: planSchema.parse(conditionReport),
  order_accessories: planSchema.parse(orderAccessories),
  ensemble: planSchema.parse(ensemble),
  region: planSchema.parse(region),
  member_details: planSchema.parse(memberDetails),
};

function field(key: string, label: string, more: Partial<FieldInput> = {}): FieldInput {
  return { key, label, savesTo: null, ...more };
}

function lookup(table: string, columns: string[], more: Partial<ChoicesInput> = {}): ChoicesInput {
  return {
    kind: 'table',
    table,
    shown: columns,
    stores: { kind: 'link' },
    order: columns.slice(0, 1).map((path) => ({ path })),
    ...more,
  };
}

function distinct(column: string, by: string[]): ChoicesInput {
  return lookup('accessory', [column], {
    stores: { kind: 'copy', column },
    distinct: true,
    narrowings: by.map(narrowedBy),
  });
}

function narrowedBy(name: string): NonNullable<ChoicesInput['narrowings']>[number] {
  return { path: name, operator: 'equal', field: name };
}

/** A column shown as a line beside the lookup. */
function shown(path: string): z.input<typeof bringSchema> {
  return { path };
}

/** How many copies of the chosen score moved in one of these ways; worked out, not shown. */
function movements(key: string, label: string, kinds: string[]): FieldInput {
  return field(key, label, {
    shows: 'nothing',
    rollup: {
      table: 'copy_movement',
      aggregate: 'sum',
      path: 'quantity',
      conditions: [{ path: 'kind', operator: 'one_of', values: kinds }],
      narrowings: [narrowedBy('score')],
    },
  });
}
