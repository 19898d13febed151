import { querySchema } from '../../src/core/outside/query';
import { planSchema, type Plan } from '../../src/core/plan/schema';
import { optionListSchema } from '../../src/core/table/option-list';
import { tablesWith } from '../../src/core/table/sources';
import { namedViewSchema } from '../../src/core/table/view';
import { column, reference, table } from './definitions';

const query = querySchema.parse({
  key: 'member',
  title: 'Member',
  connection: 'register',
  text: '/members/{code}',
  parameters: [{ key: 'code', label: 'Code', type: { kind: 'text', format: 'plain', length: 20 } }],
  columns: [
    {
      key: 'phone',
      label: 'Phone',
      path: 'phone',
      type: { kind: 'text', format: 'plain', length: 99 },
    },
  ],
});
/** Tables, a query and a list of which `wholePlan` makes use. */
export const wholeTables = tablesWith({
  tables: [
    table('town', [column('name'), column('code')]),
    table('loan', [
      column('note'),
      reference('town'),
      column('fee', { type: { kind: 'decimal', precision: 8, scale: 2 } }),
    ]),
    {
      ...table('line', [reference('loan'), column('kind'), reference('line')]),
      views: [namedViewSchema.parse({ key: 'short', title: 'Short' })],
    },
  ],
  queries: [query],
  lists: [
    optionListSchema.parse({ key: 'kinds', title: 'Kinds', of: 'groups', values: [] }),
    optionListSchema.parse({ key: 'groups', title: 'Groups', values: [] }),
  ],
  systems: [{ key: 'desk', title: 'Desk', accepts: 'http' }],
});

/** A plan in which every place stands that can name something. */
/** A plan that says everything that a plan can say; it stands in every place that names something. */
export const wholePlan: Plan = planSchema.parse({
  format: 1,
  title: 'All',
  table: 'loan',
  startsAt: 'note',
  sections: [
    {
      key: 'main',
      title: 'Main',
      fields: [
        { key: 'note', label: 'Note', savesTo: 'note' },
        {
          key: 'town',
          label: 'Town',
          savesTo: 'town',
          choices: {
            kind: 'table',
            table: 'town',
            shown: ['name', 'code'],
            stores: { kind: 'link' },
            order: [{ path: 'name', descending: false }],
            conditions: [{ path: 'code', operator: 'equal', values: ['x'] }],
            narrowings: [{ path: 'code', operator: 'equal', field: 'note' }],
            typedBy: 'code',
            guests: ['name'],
          },
          brings: [
            { path: 'name', into: 'label' },
            { path: null, by: 'which', into: 'read' },
          ],
          requiredWhen: 'note = "x"',
          checks: [{ holds: 'town.name != note', message: 'It is {town.name}.' }],
        },
        { key: 'label', label: 'Label', savesTo: null },
        { key: 'read', label: 'Read', savesTo: null },
        {
          key: 'which',
          label: 'Which',
          savesTo: null,
          choices: { kind: 'columns', of: 'town', paths: ['name'] },
        },
        {
          key: 'copy',
          label: 'Copy',
          savesTo: null,
          choices: {
            kind: 'table',
            table: 'town',
            shown: ['name'],
            stores: { kind: 'copy', column: 'code' },
          },
        },
        { key: 'held', label: 'Held', savesTo: null, holds: { kind: 'reference', table: 'town' } },
        {
          key: 'listed',
          label: 'Listed',
          savesTo: null,
          choices: { kind: 'options', list: 'kinds', by: 'note' },
        },
        {
          key: 'heldlist',
          label: 'Held list',
          savesTo: null,
          holds: { kind: 'option', list: 'kinds', options: [] },
        },
        {
          key: 'asked',
          label: 'Asked',
          savesTo: null,
          choices: {
            kind: 'outside',
            query: 'member',
            stores: 'phone',
            shown: ['phone'],
            given: [{ parameter: 'code', field: 'note' }],
          },
          brings: [{ path: 'phone', into: null }],
        },
        {
          key: 'value',
          label: 'Value',
          savesTo: null,
          outside: {
            query: 'member',
            column: 'phone',
            given: [{ parameter: 'code', field: 'note' }],
          },
        },
        {
          key: 'rolled',
          label: 'Rolled',
          savesTo: null,
          holds: { kind: 'whole' },
          rollup: {
            table: 'line',
            aggregate: 'greatest',
            path: 'kind',
            conditions: [{ path: 'kind', operator: 'equal', values: ['x'] }],
            less: [{ path: 'kind', operator: 'equal', values: ['y'] }],
            narrowings: [{ path: 'loan.note', operator: 'equal', field: 'note' }],
          },
        },
        {
          key: 'sum',
          label: 'Sum',
          savesTo: 'fee',
          computes: 'count(lines.kind)',
          shownWhen: 'note != null',
          lockedWhen: 'note = "y"',
        },
        { key: 'begun', label: 'Begun', savesTo: null, initially: 'note' },
      ],
    },
    {
      key: 'asks',
      title: 'Asks',
      fields: [],
      questions: {
        table: 'town',
        narrowings: [{ path: 'code', operator: 'equal', field: 'note' }],
        columns: {
          code: 'name',
          text: 'name',
          kind: 'name',
          required: 'name',
          choices: 'name',
          help: 'name',
          order: 'name',
          group: 'name',
          when: 'name',
          points: 'name',
          least: 'name',
          greatest: 'name',
          unit: 'name',
        },
        points: 'sum',
        answers: {
          table: 'line',
          sheet: 'loan',
          code: 'kind',
          question: 'kind',
          asked: 'kind',
          text: 'kind',
          number: 'kind',
          day: 'kind',
          yesNo: 'kind',
          option: 'kind',
          record: 'kind',
          files: 'kind',
        },
      },
    },
    {
      key: 'lines',
      title: 'Lines',
      grid: {
        table: 'line',
        link: 'loan',
        view: 'short',
        totals: [{ column: 'kind', kind: 'count' }],
        thresholds: [{ column: 'kind', from: '1', tone: 'bad', word: 'much' }],
        picture: { by: 'kind', total: { column: 'kind', kind: 'count' } },
        shownWhen: 'note != null',
        rowsWhen: 'kind != null',
      },
      fields: [
        {
          key: 'kind',
          label: 'Kind',
          savesTo: 'kind',
          choices: { kind: 'options', list: 'kinds', by: 'parent.note' },
          computes: null,
        },
        { key: 'both', label: 'Both', savesTo: null, computes: 'kind + parent.note' },
      ],
    },
    {
      key: 'inner',
      title: 'Inner',
      grid: { table: 'line', link: 'line', within: 'lines' },
      fields: [
        { key: 'same', label: 'Same', savesTo: null, computes: 'parent.kind + parent.parent.note' },
      ],
    },
  ],
  writes: [
    {
      table: 'line',
      each: 'lines',
      record: 'record',
      when: 'kind != null',
      values: { kind: 'parent.note' },
    },
  ],
  sends: [{ connection: 'desk', when: 'note != null', values: { what: 'note' } }],
  buttons: [
    {
      key: 'go',
      label: 'Go',
      when: 'note != null',
      steps: [
        { do: 'set', field: 'note', to: 'note + "x"' },
        { do: 'tell', connection: 'desk', values: { what: 'note' } },
        { do: 'open', form: 'other', carry: { note: 'note' } },
      ],
    },
  ],
  after: { message: 'Kept as {note}.', form: 'other', carry: { note: 'note' } },
  mails: [{ when: 'note != null', to: '{note}, desk', subject: 'Of {note}', text: '{note}' }],
  through: { query: 'member', key: 'code', columns: { note: 'phone' } },
});
