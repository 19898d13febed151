import { labelFrom } from '../src/core/table/definition';
import { demoLists } from './lists';
import { demoQuestions } from './questions';
import { plainText, type PlainType, type ValueType } from '../src/core/values/types';
import { families, genres, makers, movementKinds, regions, weekdays } from './names';
import {
  demoSize,
  makeTowns,
  makeEnsembles,
  instruments,
  accessories,
  scores,
  rehearsing,
  played,
  loans,
  movements,
  reports,
  defects,
  type DemoSize,
} from './rows';

/** A column of a demo table; `match` is the column by which a reference is given in the rows. */
export interface DemoColumn {
  key: string;
  label: string;
  type: ValueType;
  required: boolean;
  unique: boolean;
  match: string | null;
}

/** A demo table: its definition, and its rows as text, made when they are asked for. */
export interface DemoTable {
  key: string;
  title: string;
  display: string[];
  columns: DemoColumn[];
  rows: () => Iterable<string[]>;
  /** A column of several references that follows, with the places of the linked rows for each row. */
  links?: DemoLinks[];
}

/** Links between the rows of two tables, and how their other side is called. */
export interface DemoLinks {
  key: string;
  label: string;
  to: string;
  mirror: { key: string; label: string };
  pairs: () => Iterable<[own: number, other: number]>;
}

/** Corranmoor Music Library, table by table, each after those it refers to. */
export function demoTables(size: DemoSize = demoSize): DemoTable[] {
  const towns = makeTowns();
  const ensembles = makeEnsembles(towns);
  const lent = loans(size, ensembles);
  const types = families.flatMap(([family, names]) => names.map((name) => [name, family]));
  return [
    table('region', 'Region', ['name'], [key('name', 40)], () => regions.map((name) => [name])),
    table('town', 'Town', ['name'], [key('name', 40), reference('region')], () => towns),
    table('genre', 'Genre', ['name'], [key('name', 40)], () => genres.map((name) => [name])),
    table(
      'ensemble',
      'Ensemble',
      ['name', 'member_code'],
      [
        key('name', 80),
        key('member_code', 10),
        reference('town'),
        column('contact', text(80)),
        column('email', { ...text(255), format: 'email' } as ValueType, { label: 'E-mail' }),
        column('phone', { ...text(40), format: 'phone' } as ValueType),
        column('weekly_rate', decimal(6, 2), { required: true }),
        column('rehearsals', {
          kind: 'rows',
          columns: [
            { key: 'day', label: 'Day', type: plainOptions(weekdays), required: true },
            { key: 'at', label: 'At', type: { kind: 'time' }, required: false },
          ],
        }),
      ],
      () => rehearsing(ensembles),
      [
        {
          key: 'genres',
          label: 'Genres',
          to: 'genre',
          mirror: { key: 'ensembles', label: 'Ensembles' },
          pairs: () => played(ensembles.length),
        },
      ],
    ),
    table('instrument_family', 'Instrument family', ['name'], [key('name', 40)], () =>
      families.map(([name]) => [name]),
    ),
    table(
      'instrument_type',
      'Instrument type',
      ['name'],
      [key('name', 40), reference('instrument_family', 'Family', 'family')],
      () => types,
    ),
    table('maker', 'Maker', ['name'], [key('name', 80)], () => makers.map((name) => [name])),
    table(
      'instrument',
      'Instrument',
      ['asset_number', 'type'],
      [
        key('asset_number', 12),
        reference('instrument_type', 'Type', 'type'),
        reference('maker'),
        column('size', text(10)),
        column('serial', text(20), { required: true, unique: true }),
        column('condition', listed('condition_grades'), { required: true }),
        column('insured_value', decimal(10, 2)),
        column('status', options(['in store', 'on loan', 'in repair']), { required: true }),
      ],
      () =>
        instruments(
          size.instruments,
          types.map(([name]) => name ?? ''),
        ),
    ),
    table(
      'accessory',
      'Accessory',
      ['article', 'gauge', 'maker'],
      [
        column('category', text(40), { required: true }),
        column('article', text(80), { required: true }),
        column('gauge', text(20)),
        column('pack_size', { kind: 'whole' }, { required: true }),
        reference('maker'),
        column('price', decimal(8, 2), { required: true }),
        column('in_stock', { kind: 'whole' }, { required: true }),
      ],
      () => accessories(),
    ),
    table(
      'score',
      'Score',
      ['code', 'title', 'composer'],
      [
        key('code', 12),
        column('title', text(120), { required: true }),
        column('composer', text(80), { required: true }),
        column('era', listed('eras')),
        column('difficulty', { kind: 'whole' }),
        column('pages', { kind: 'whole' }),
      ],
      () => scores(size.scores),
    ),
    table(
      'loan',
      'Loan',
      ['number', 'ensemble'],
      [
        column('number', { kind: 'code', pattern: 'L-{yyyy}-{0000}' }, { required: true }),
        reference('ensemble'),
        column('weeks', { kind: 'whole' }, { required: true }),
        column('fee', decimal(8, 2)),
        column('contact', text(80)),
        column('purpose', listed('loan_purposes'), { required: true }),
        column('lent_on', { kind: 'date' }, { required: true }),
        column('due_on', { kind: 'date' }, { label: 'Due back' }),
        column('note', { kind: 'long_text' }),
      ],
      () => lent.map(({ loan }) => loan),
    ),
    table(
      'loan_line',
      'Loan line',
      ['loan', 'score'],
      [
        reference('loan', 'Loan', 'loan', 'number'),
        reference('score', 'Score', 'score', 'code'),
        column('copies', { kind: 'whole' }, { required: true }),
        column('fee', decimal(8, 2)),
      ],
      () => lent.flatMap(({ lines }) => lines),
    ),
    table(
      'copy_movement',
      'Copy movement',
      ['score', 'kind', 'moved_on'],
      [
        reference('score', 'Score', 'score', 'code'),
        column('kind', options(movementKinds), { required: true }),
        column('quantity', { kind: 'whole' }, { required: true }),
        column('moved_on', { kind: 'date' }, { label: 'Date', required: true }),
      ],
      () => movements(size.scores),
    ),
    table(
      'condition_report',
      'Condition report',
      ['instrument', 'reported_on'],
      [
        reference('instrument', 'Instrument', 'instrument', 'asset_number'),
        column('reported_on', { kind: 'date' }, { required: true }),
        column('reported_by', text(80), { required: true }),
        column('condition', listed('condition_grades'), { required: true }),
        column('damage', { kind: 'yes_no' }, { required: true }),
        column('damage_kind', listed('defect_kinds'), { label: 'Kind of damage' }),
        column('repair_cost', decimal(10, 2)),
        column('insured_value', decimal(10, 2)),
        column('description', { kind: 'long_text' }),
      ],
      () => reports(size),
    ),
    table(
      'defect',
      'Defect',
      ['part', 'kind'],
      [
        reference('condition_report', 'Condition report', 'condition_report', 'id'),
        column('part', text(60), { required: true }),
        column('kind', listed('defect_kinds'), { required: true }),
        column('remark', text(255)),
      ],
      () => defects(size),
    ),
    table(
      'accessory_order',
      'Accessory order',
      ['accessory', 'ordered_on'],
      [
        reference('accessory', 'Accessory', 'accessory', 'id'),
        column('packs', { kind: 'whole' }, { required: true }),
        column('ordered_on', { kind: 'date' }, { required: true }),
        column('note', text(255)),
      ],
      () => [],
    ),
    table(
      'check_question',
      'Check question',
      ['question', 'checklist'],
      [
        column('checklist', listed('checklists'), { required: true }),
        column('place', { kind: 'whole' }, { required: true }),
        column('heading', text(80)),
        column('code', text(48), { required: true }),
        column('question', text(255), { required: true }),
        column('kind', listed('question_kinds'), { required: true }),
        column('must', { kind: 'yes_no' }, { label: 'Must be answered' }),
        column('choices', { kind: 'long_text' }),
        column('help', text(255)),
        column('asked_when', text(255), { label: 'Asked only when' }),
        column('points', decimal(6, 2)),
        column('least', decimal(12, 2)),
        column('greatest', decimal(12, 2)),
        column('unit', text(20)),
      ],
      () =>
        demoQuestions.map((one, i) => [
          ...[one.checklist, String(i + 1), one.heading, one.code, one.text, one.kind],
          ...[one.required ? 'yes' : 'no', one.choices ?? '', one.help ?? '', one.when ?? ''],
          ...[one.points, one.least, one.greatest].map((n) => (n === undefined ? '' : String(n))),
          one.unit ?? '',
        ]),
    ),
    table(
      'hall_check',
      'Hall check',
      ['hall', 'checked_on'],
      [
        column('checklist', listed('checklists'), { required: true }),
        reference('town'),
        column('hall', text(80), { required: true }),
        column('checked_on', { kind: 'date' }, { required: true }),
        column('checked_by', text(80), { required: true }),
        column('points', decimal(8, 2)),
        column('photographs', { kind: 'files', kinds: ['picture'], largest: 20_000_000, most: 6 }),
      ],
      () => [],
    ),
    table(
      'hall_check_answer',
      'Hall check answer',
      ['asked', 'hall_check'],
      [
        reference('hall_check', 'Hall check', 'hall_check', 'id'),
        {
          ...reference('check_question', 'Check question', 'check_question', 'id'),
          required: false,
        },
        column('code', text(48), { required: true }),
        column('asked', text(255)),
        column('words', { kind: 'long_text' }),
        column('amount', decimal(20, 4)),
        column('day', { kind: 'date' }),
        column('yes', { kind: 'yes_no' }),
        column('choice', text(100)),
        column('record', { kind: 'whole' }),
        column('files', { kind: 'files', kinds: [], largest: 20_000_000, most: 10 }),
      ],
      () => [],
    ),
  ];
}

function table(
  key: string,
  title: string,
  display: string[],
  columns: DemoColumn[],
  rows: () => Iterable<string[]>,
  links: DemoLinks[] = [],
): DemoTable {
  return { key, title, display, columns, rows, links };
}

function column(key: string, type: ValueType, more: Partial<DemoColumn> = {}): DemoColumn {
  return { key, label: labelFrom(key), type, required: false, unique: false, match: null, ...more };
}

/** A required, unique short text: what people know the record by. */
function key(name: string, length: number): DemoColumn {
  return column(name, text(length), { required: true, unique: true });
}

function reference(to: string, label = labelFrom(to), name = to, match = 'name'): DemoColumn {
  return column(name, { kind: 'reference', table: to }, { label, required: true, match });
}

function text(length: number): Extract<ValueType, { kind: 'text' }> {
  return { ...plainText, length } as Extract<ValueType, { kind: 'text' }>;
}

function decimal(precision: number, scale: number): ValueType {
  return { kind: 'decimal', precision, scale };
}

function options(values: readonly string[]): ValueType {
  return plainOptions(values);
}

/** The options of a list. */
function listed(key: string): ValueType {
  const values = demoLists.find((list) => list.key === key)?.values ?? [];
  return { kind: 'option', list: key, options: values };
}

function plainOptions(values: readonly string[]): PlainType {
  return { kind: 'option', options: values.map((value) => ({ value, label: value })) };
}
