import { labelFrom } from '../src/core/table/definition';
import { demoLists } from './lists';
import { demoQuestions } from './questions';
import { plainText, type PlainType, type ValueType } from '../src/core/values/types';
import {
  articles,
  Chance,
  conditionGrades,
  damageKinds,
  ensembleKinds,
  eras,
  families,
  firstNames,
  genres,
  instrumentParts,
  lastNames,
  loanPurposes,
  makers,
  movementKinds,
  namedTowns,
  regions,
  scoreForms,
  scoreJoints,
  scoreNouns,
  townBeginnings,
  townEndings,
  weekdays,
} from './names';

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

/** How large the demo is. There is half a movement more for each score. */
export interface DemoSize {
  scores: number;
  instruments: number;
  loans: number;
  reports: number;
  /** Filled checklists of halls. */
  sheets: number;
}

export const demoSize: DemoSize = {
  scores: 60_000,
  instruments: 2400,
  loans: 1200,
  reports: 600,
  sheets: 150,
};

/** As large as the largest house that is meant: a million scores, half as many movements more. */
export const largeDemo: DemoSize = { ...demoSize, scores: 1_000_000 };

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

function makeTowns(): string[][] {
  const chance = new Chance('towns');
  const names = new Set(namedTowns.map(([town]) => town));
  const towns = namedTowns.map(([town, region]) => [town, region]);
  // The last region stays without a town.
  const settled = regions.slice(0, -1);
  for (const [i, region] of settled.entries()) {
    const wanted = i === 0 ? 12 : 14;
    while (towns.filter(([, at]) => at === region).length < wanted) {
      const name = chance.pick(townBeginnings) + chance.pick(townEndings);
      if (names.has(name)) continue;
      names.add(name);
      towns.push([name, region]);
    }
  }
  return towns;
}

function makeEnsembles(towns: string[][]): string[][] {
  const chance = new Chance('ensembles');
  const ensembles: string[][] = [];
  const names = new Set<string>();
  const add = (town: string, kind: string, contact: string) => {
    const name = `${town} ${kind}`;
    if (names.has(name)) return;
    names.add(name);
    const letters = name
      .replace(/[a-z ]/g, '')
      .slice(0, 4)
      .toUpperCase();
    const code = `${letters}-${217 + ensembles.length}`;
    const mailbox = contact.split(' ')[0]?.toLowerCase();
    const domain = name.toLowerCase().replace(/[^a-z]+/g, '-');
    const phone = `555-01${String(chance.whole(0, 99)).padStart(2, '0')}`;
    const rate = (chance.whole(8, 36) * 0.05).toFixed(2);
    ensembles.push([name, code, town, contact, `${mailbox}@${domain}.example.org`, phone, rate]);
  };
  add('Velden', 'Town Winds', 'Odile Quist');
  // Velden has this one ensemble only; the last town has none.
  const others = towns.slice(1, -1).map(([town]) => town ?? '');
  while (ensembles.length < 420) {
    add(chance.pick(others), chance.pick(ensembleKinds), person(chance));
  }
  return ensembles;
}

function* instruments(count: number, types: string[]): Iterable<string[]> {
  const chance = new Chance('instruments');
  for (let i = 1; i <= count; i++) {
    yield [
      `A-${String(i).padStart(5, '0')}`,
      chance.pick(types),
      chance.pick(makers),
      chance.pick(['', '', '1/2', '3/4', '4/4']),
      `${chance.pick(['K', 'M', 'R', 'T'])}${100_000 + i * 7}`,
      chance.pick(conditionGrades),
      `${chance.whole(120, 48_000)}.00`,
      chance.pick(['in store', 'in store', 'in store', 'on loan', 'in repair']),
    ];
  }
}

function accessories(): string[][] {
  const chance = new Chance('accessories');
  const rows: string[][] = [];
  const seen = new Set<string>();
  const all = articles.flatMap(([category, article, gauges]) =>
    gauges.map((gauge) => ({ category, article, gauge })),
  );
  const add = ({ category, article, gauge }: (typeof all)[number]) => {
    const [pack, maker] = [chance.pick([1, 5, 10, 25]), chance.pick(makers)];
    const known = [article, gauge, pack, maker].join();
    if (seen.has(known)) return;
    seen.add(known);
    const price = (chance.whole(30, 900) * 0.1).toFixed(2);
    rows.push([category, article, gauge, String(pack), maker, price, String(chance.whole(0, 160))]);
  };
  all.forEach(add);
  while (rows.length < 360) add(chance.pick(all));
  return rows;
}

function* scores(count: number): Iterable<string[]> {
  const chance = new Chance('scores');
  for (let i = 1; i <= count; i++) {
    yield [
      scoreCode(i),
      scoreTitle(chance),
      person(chance),
      chance.pick(eras),
      String(chance.whole(1, 6)),
      String(chance.whole(4, 220)),
    ];
  }
}

function scoreTitle(chance: Chance): string {
  const [form, noun] = [chance.pick(scoreForms), chance.pick(scoreNouns)];
  if (chance.whole(1, 5) === 1) return `${noun.replace(/^the /, '')} ${form}`;
  return `${form} ${chance.pick(scoreJoints)} ${noun}`;
}

/** Adds to each ensemble the days on which it rehearses. */
function* rehearsing(ensembles: string[][]): Iterable<string[]> {
  const chance = new Chance('rehearsals');
  for (const ensemble of ensembles) {
    const days = [...new Set([chance.pick(weekdays), chance.pick(weekdays)])];
    const rehearsals = days.map((day) => ({ day, at: `${chance.whole(17, 20)}:30:00` }));
    yield [...ensemble, JSON.stringify(rehearsals)];
  }
}

/** What each ensemble plays: one genre to three. */
function* played(ensembles: number): Iterable<[number, number]> {
  const chance = new Chance('genres');
  for (let i = 1; i <= ensembles; i++) {
    const plays = Array.from({ length: chance.whole(1, 3) }, () => chance.whole(1, genres.length));
    for (const genre of new Set(plays)) yield [i, genre];
  }
}

/** Loans, each with its lines: four on average. */
function loans(size: DemoSize, ensembles: string[][]): { loan: string[]; lines: string[][] }[] {
  const chance = new Chance('loans');
  const counts: Record<string, number> = {};
  return Array.from({ length: size.loans }, () => {
    const lent = chance.date('2024-01-08', '2026-10-30');
    const year = lent.slice(0, 4);
    counts[year] = (counts[year] ?? 0) + 1;
    const number = `L-${year}-${String(counts[year]).padStart(4, '0')}`;
    const weeks = chance.pick([4, 6, 8, 12]);
    const due = new Date(Date.parse(lent) + weeks * 7 * 86_400_000).toISOString().slice(0, 10);
    const [name = '', , , contact = '', , , rate = '0'] = chance.pick(ensembles);
    let total = 0;
    const lines = Array.from({ length: chance.whole(1, 7) }, () => {
      const copies = chance.whole(1, 20);
      // Hundredths, so that no binary fraction comes in.
      const cents = Math.round(Number(rate) * 100) * copies * weeks;
      const fee = weeks > 8 ? Math.round(cents * 0.9) : cents;
      total += fee;
      return [
        number,
        scoreCode(chance.whole(1, size.scores)),
        String(copies),
        (fee / 100).toFixed(2),
      ];
    });
    const purpose = chance.pick(loanPurposes);
    const loan = [
      number,
      name,
      String(weeks),
      (total / 100).toFixed(2),
      contact,
      purpose,
      lent,
      due,
      '',
    ];
    return { loan, lines };
  });
}

/** Every score was received once; a quarter went out, and most of what went out came back. */
function* movements(scores: number): Iterable<string[]> {
  const chance = new Chance('movements');
  const received: number[] = [];
  for (let i = 1; i <= scores; i++) {
    received[i] = chance.whole(1, 10) * 4;
    const day = chance.date('2019-01-07', '2023-12-20');
    yield [scoreCode(i), 'received', String(received[i]), day];
  }
  for (let i = 0; i < scores / 4; i++) {
    const score = chance.whole(1, scores);
    const here = received[score] ?? 0;
    const quantity = chance.whole(0, here);
    const lent = chance.date('2024-01-08', '2026-06-30');
    const back = chance.date('2026-07-01', '2026-10-30');
    const lost = chance.whole(1, 40) === 1 ? Math.min(1, quantity) : 0;
    received[score] = here - lost;
    yield [scoreCode(score), 'lent', String(quantity), lent];
    yield [scoreCode(score), 'returned', String(quantity - lost), back];
  }
}

function* reports(size: DemoSize): Iterable<string[]> {
  const chance = new Chance('reports');
  for (let i = 0; i < size.reports; i++) {
    const damage = chance.whole(1, 4) === 1;
    const value = chance.whole(120, 48_000);
    yield [
      `A-${String(chance.whole(1, size.instruments)).padStart(5, '0')}`,
      chance.date('2024-01-08', '2026-10-30'),
      person(chance),
      chance.pick(conditionGrades),
      damage ? 'yes' : 'no',
      damage ? chance.pick(damageKinds) : '',
      damage ? chance.whole(10, value / 2).toFixed(2) : '',
      `${value}.00`,
      damage ? 'Seen at the return of a loan.' : '',
    ];
  }
}

/** What is broken, of those reports that found damage: the same chances as theirs. */
function* defects(size: DemoSize): Iterable<string[]> {
  const chance = new Chance('defects');
  let report = 0;
  for (const [, , , , damage] of reports(size)) {
    report++;
    if (damage !== 'yes') continue;
    const many = chance.whole(1, 4);
    for (let i = 0; i < many; i++) {
      yield [String(report), chance.pick(instrumentParts), chance.pick(damageKinds), ''];
    }
  }
}

function scoreCode(n: number): string {
  return `SC-${String(n).padStart(5, '0')}`;
}

function person(chance: Chance): string {
  return `${chance.pick(firstNames)} ${chance.pick(lastNames)}`;
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
