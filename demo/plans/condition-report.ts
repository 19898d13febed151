import { field, lookup, narrowedBy, shown, type PlanInput } from './parts';

export const conditionReport: PlanInput = {
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
          initially: 'person.name',
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
