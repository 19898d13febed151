import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Entry } from '../entry/entry';
import { writePlan } from '../entry/write-plan';
import { clockFrom } from '../formula/clock';
import { askedPlan } from '../plan/asked-plan';
import { mostQuestions, questionKinds } from '../plan/asked-set';
import { planSchema, type Section } from '../plan/schema';
import { optionListSchema } from '../table/option-list';
import { tablesWith } from '../table/sources';
import type { Value } from '../values/types';
import { column, field, reference, table } from '../../../tests/support/definitions';
import { wireForm } from './form';
import { readQuestions, type QuestionRow } from './questions';

const decimal = { type: { kind: 'decimal' as const, precision: 20, scale: 4 } };
const tables = tablesWith({
  tables: [
    table('sheet', [column('set'), column('score', decimal), column('door')]),
    table('ask', [column('code'), column('text'), column('kind')]),
    table('town', [column('name')]),
    table('answer', [
      reference('sheet'),
      { ...reference('ask'), required: false },
      ...['code', 'words', 'choice', 'asked'].map((key) => column(key)),
      column('amount', decimal),
      column('day', { type: { kind: 'date' } }),
      column('yes', { type: { kind: 'yes_no' } }),
      column('files', { type: { kind: 'files', kinds: [], largest: 1000, most: 5 } }),
    ]),
  ],
  lists: [
    optionListSchema.parse({
      key: 'grades',
      title: 'Grades',
      values: [
        { value: 'a', label: 'Best' },
        { value: 'b', label: 'Fair' },
        { value: 'c', label: 'Worst', retired: true },
      ],
    }),
  ],
});

const plan = planSchema.parse({
  format: 1,
  title: 'Sheet',
  table: 'sheet',
  sections: [
    {
      key: 'own',
      title: 'Own',
      fields: [
        { key: 'set', label: 'Set', savesTo: 'set' },
        { key: 'score', label: 'Score', savesTo: 'score' },
      ],
    },
    {
      key: 'asks',
      title: '',
      fields: [],
      questions: {
        table: 'ask',
        columns: {
          ...{ code: 'code', text: 'text', kind: 'kind', required: 'must', choices: 'choices' },
          ...{ group: 'group', when: 'when', points: 'points', least: 'least' },
          greatest: 'greatest',
        },
        points: 'score',
        answers: {
          ...{ table: 'answer', sheet: 'sheet', question: 'ask', code: 'code', asked: 'asked' },
          ...{ text: 'words', number: 'amount', day: 'day', yesNo: 'yes', option: 'choice' },
          files: 'files',
        },
      },
    },
  ],
});
const section = plan.sections[1] as Section;

const rowsOf = (...rows: Record<string, Value>[]): QuestionRow[] =>
  rows.map((values, i) => ({ id: i + 1, values: { kind: 'short_text', ...values } }));
const read = (...rows: Record<string, Value>[]) =>
  readQuestions(plan, section, rowsOf(...rows), tables);
const faults = (...rows: Record<string, Value>[]) =>
  read(...rows).faults.map(({ row, problem }) => `${row}:${problem.code}`);
const asked = (...rows: Record<string, Value>[]) => {
  const set = { given: {}, questions: read(...rows).questions };
  return wireForm(askedPlan(plan, { asks: set }), tables);
};
const filled = (form: ReturnType<typeof asked>, values: Record<string, Value>) => {
  const around = { clock: clockFrom(() => new Date('2026-03-01T12:00:00Z')) };
  return new Entry(form, { mode: 'new', filled: { values, own: Object.keys(values) }, around });
};

describe('I6 rows that cannot be asked', () => {
  const good = { code: 'door', text: 'How wide?' };
  it.each<[string, Record<string, Value>[], string[]]>([
    ['a good one', [{ code: 'width', text: 'How wide?' }], []],
    ['no text', [{ code: 'a', text: ' ' }], ['1:question_text']],
    ['no code', [{ code: null, text: 'A' }], ['1:question_code']],
    ['a code with blanks', [{ code: 'a b', text: 'A' }], ['1:question_code']],
    ['a code that is a word of formulas', [{ code: 'and', text: 'A' }], ['1:question_code']],
    ['a code twice', [good, good], ['2:question_code_twice']],
    [
      'a code that is what a choice of another is ticked by',
      [
        { ...good, kind: 'several_of', choices: 'Main; Yard' },
        { code: 'door_yard', text: 'B' },
      ],
      ['2:question_code_twice'],
    ],
    ['a code that is a field', [{ code: 'score', text: 'A' }], ['1:question_code_taken']],
    ['an unknown kind', [{ ...good, kind: 'ratng' }], ['1:question_kind']],
    ['no choices', [{ ...good, kind: 'one_of' }], ['1:question_choices']],
    ['one choice', [{ ...good, kind: 'one_of', choices: 'Only; ;' }], ['1:question_choices']],
    ['doubles', [{ ...good, kind: 'one_of', choices: 'A; B; A' }], ['1:question_choices_twice']],
    [
      'too many',
      [{ ...good, kind: 'one_of', choices: Array.from({ length: 501 }, (_, i) => i).join(';') }],
      ['1:question_choices_many'],
    ],
    ['no such table', [{ ...good, kind: 'record', choices: 'nowhere' }], ['1:question_table']],
    [
      'a kind of file that is none',
      [{ ...good, kind: 'file', choices: 'picture; smell' }],
      ['1:question_file_kind'],
    ],
    ['no file', [{ ...good, kind: 'file', greatest: '0' }], ['1:question_files_many']],
    ['half a file', [{ ...good, kind: 'file', greatest: '1.5' }], ['1:question_files_many']],
    ['files of any kind', [{ ...good, kind: 'file', greatest: '3' }], []],
    [
      'least above greatest',
      [{ ...good, kind: 'decimal', least: '5', greatest: '4' }],
      ['1:question_bounds'],
    ],
    ['points that are none', [{ ...good, points: 'many' }], ['1:question_number']],
    [
      'a later answer',
      [
        { ...good, when: 'lift = true' },
        { code: 'lift', text: 'Lift?', kind: 'yes_no' },
      ],
      ['1:question_later'],
    ],
    ['its own answer', [{ ...good, when: 'door = "x"' }], ['1:question_later']],
    ['nothing that is known', [{ ...good, when: 'nobody = 1' }], ['1:formula_unknown_name']],
    ['a condition that is no formula', [{ ...good, when: '= = 1' }], ['1:formula_wrong_kind']],
    [
      'what read a row that is left out',
      [
        { code: 'lift', text: 'Lift?', kind: 'lift' },
        { ...good, when: 'lift = true' },
      ],
      ['1:question_kind', '2:formula_unknown_name'],
    ],
  ])('%s', (_, rows, expected) => {
    expect(faults(...rows)).toEqual(expected);
  });

  it('takes choices from a list as it offers them, and asks no more than it can', () => {
    const { questions } = read({ ...good, kind: 'one_of', choices: 'Grades' });
    expect(questions[0]?.options.map(({ value }) => value)).toEqual(['a', 'b']);
    const many = Array.from({ length: mostQuestions + 1 }, (_, i) => {
      return { code: `q${i}`, text: 'Q' };
    });
    expect(faults(...many)).toEqual([`${mostQuestions + 1}:question_many`]);
  });

  it('a circle by way of the form leaves the question out, and the form whole', () => {
    const circular = planSchema.parse({
      ...plan,
      sections: [
        {
          ...plan.sections[0],
          fields: [
            ...(plan.sections[0]?.fields ?? []),
            { key: 'more', label: 'More', savesTo: null, computes: 'score + 1' },
          ],
        },
        plan.sections[1],
      ],
    });
    const rows = rowsOf({ code: 'q', text: 'Q', points: '2', when: 'more > 1' });
    const { questions, faults: told } = readQuestions(circular, section, rows, tables);
    expect([questions.length, told.length]).toEqual([0, 1]);
  });

  it('whatever the rows hold: the form has an order, and every row is asked or told', () => {
    const text = fc.oneof(
      fc.constantFrom('a', 'b', 'c', 'set', 'a = "x"', 'b = true', 'not(', 'A; B', '3', '-1'),
      fc.string({ maxLength: 12 }),
      fc.constant(null),
    );
    const kind = fc.oneof(fc.constantFrom<string>(...questionKinds), text);
    const row = fc.record({
      ...{ code: text, text, kind, choices: text, group: text, when: text },
      ...{ points: text, least: text, greatest: text },
      must: fc.option(fc.boolean()),
    });
    fc.assert(
      fc.property(fc.array(row, { maxLength: 8 }), (rows) => {
        const found = read(...rows);
        expect(found.questions.length + found.faults.length).toBe(rows.length);
        const form = asked(...rows);
        expect(form.cycle).toBeNull();
        expect(form.findings.filter(({ field }) => field?.asked)).toEqual([]);
        expect(() => filled(form, {}).problems()).not.toThrow();
      }),
      { numRuns: 150 },
    );
  });
});

describe('I1 I5 questions as fields', () => {
  const checklist: Record<string, Value>[] = [
    { code: 'lift', text: 'Lift?', kind: 'yes_no', must: true, points: '2', group: 'In' },
    { code: 'steps', text: 'Steps?', kind: 'whole_number', when: 'lift = false', least: '1' },
    { code: 'steady', text: 'Steady?', kind: 'rating', points: '5', group: 'Room' },
    { code: 'locks', text: 'Locks?', kind: 'several_of', choices: 'Main; Yard', points: '1' },
  ];

  it('stand under their headings, are asked where their condition holds, and add their points up', () => {
    const form = asked(...checklist);
    expect(form.plan.sections.map(({ title }) => title)).toEqual([
      'Own',
      '',
      'In',
      '',
      'Room',
      'Locks?',
    ]);
    const entry = filled(form, { lift: true, steady: 4, locks_yard: true });
    expect(entry.cell('steps').hidden).toBe(true);
    expect(entry.value('score')).toBe('7.0000');
    expect(filled(form, { lift: false }).cell('steps').hidden).toBe(false);
    expect(
      filled(form, {})
        .problems()
        .map(({ path }) => path),
    ).toEqual(['lift']);
    const beyond = filled(form, { lift: false, steps: 0, steady: 9 }).problems();
    expect(beyond.map(({ path, code }) => `${path}:${code}`)).toEqual([
      'steps:answer_least',
      'steady:answer_bounds',
    ]);
  });

  it('of what several can be ticked of, one must be, where it must be answered', () => {
    const must = {
      code: 'locks',
      text: 'Locks?',
      kind: 'several_of',
      choices: 'Main; Yard',
      must: true,
    };
    const form = asked(must, { ...must, code: 'more', when: 'locks_yard = true' });
    expect(form.plan.sections.at(-2)?.title).toBe('Locks? (at least one)');
    const problems = (values: Record<string, Value>) =>
      filled(form, values)
        .problems()
        .map(({ path, message }) => `${path}: ${message}`);
    expect(problems({})).toEqual(['locks_main: Tick at least one.']);
    expect(problems({ locks_main: true })).toEqual([]);
    expect(problems({ locks_yard: true })).toEqual(['more_main: Tick at least one.']);
    expect(problems({ locks_yard: true, more_yard: true })).toEqual([]);
  });

  it('files are kept in the column for files, of the kinds and as many as are said; elsewhere they are not asked', () => {
    const wanted = {
      code: 'photo',
      text: 'Photograph?',
      kind: 'file',
      choices: 'Pictures',
      greatest: '2',
      points: '3',
    };
    const form = asked(wanted);
    expect(form.fields.get('photo')?.type).toMatchObject({
      kind: 'files',
      kinds: ['picture'],
      most: 2,
    });
    const file = { file: 'a'.repeat(32), name: 'a.png', type: 'image/png', size: 3, small: null };
    const entry = filled(form, { photo: [file] as unknown as Value });
    expect(entry.value('score')).toBe('3.0000');
    expect(writePlan(entry)[1]?.values).toMatchObject({
      code: 'photo',
      files: [file],
      words: null,
    });
    const [first, second] = plan.sections;
    const questions = second?.questions && {
      ...second.questions,
      answers: { ...second.questions.answers, files: null },
    };
    const without = planSchema.parse({ ...plan, sections: [first, { ...second, questions }] });
    const told = readQuestions(without, without.sections[1] as Section, rowsOf(wanted), tables);
    expect(told.faults.map(({ problem }) => problem.code)).toEqual(['question_no_files']);
  });

  it('the sum holds however many questions have points', () => {
    const many = Array.from({ length: 300 }, (_, i) => {
      return { code: `q${i}`, text: 'Q', kind: 'yes_no', points: '1' };
    });
    const form = asked(...many);
    const yes = Object.fromEntries(many.map(({ code }) => [code, true]));
    expect(filled(form, yes).value('score')).toBe('300.0000');
    // Whatever the plan itself calls its fields and sections.
    const [head, body] = plan.sections;
    if (!head || !body) throw new Error('no sections');
    const alike = ['points_1', 'points_2'].map((key) => field(`${body.key}_${key}`));
    const other = { ...head, key: `${body.key}_1`, title: 'Other', fields: alike };
    const sections = [head, body, other];
    const { questions } = readQuestions({ ...plan, sections }, body, rowsOf(...many), tables);
    const made = askedPlan({ ...plan, sections }, { [body.key]: { given: {}, questions } });
    for (const keys of [
      made.sections.map(({ key }) => key),
      made.sections.flatMap(({ fields }) => fields.map(({ key }) => key)),
    ]) {
      expect(new Set(keys).size).toBe(keys.length);
    }
  });

  it('I4 every answer is a row of its own, in the column of its kind; the record has none of them', () => {
    const entry = filled(asked(...checklist), { lift: false, steps: 7, locks_main: true });
    const [sheet, ...rows] = writePlan(entry);
    expect(Object.keys(sheet?.values ?? {})).toEqual(['set', 'score']);
    const kept = rows.map(({ values }) => values);
    expect(kept).toEqual([
      expect.objectContaining({
        sheet: { madeBy: 0 },
        ask: 1,
        code: 'lift',
        yes: false,
        words: null,
      }),
      expect.objectContaining({ code: 'steps', asked: 'Steps?', amount: 7, yes: null }),
      expect.objectContaining({ code: 'locks', choice: 'Main', yes: null }),
    ]);
  });
});
