import type { Connection } from 'mysql2/promise';
import { newBeginning } from '../src/core/entry/beginning';
import { Entry } from '../src/core/entry/entry';
import { askedPlan, asks } from '../src/core/plan/asked-plan';
import type { AskedQuestion } from '../src/core/plan/asked-set';
import { plainField } from '../src/core/plan/draft';
import { planSchema, type Plan } from '../src/core/plan/schema';
import { houseOf } from '../src/core/table/sources';
import { wireForm } from '../src/core/wiring/form';
import { loadTables, makeTable } from '../src/server/catalog/tables';
import { endDatabase, openDatabase } from '../src/server/database/connection';
import { migrate } from '../src/server/database/migrate';
import { countAnswers } from '../src/server/records/answer-counts';
import { hallCheck } from '../demo/plans/hall-check';
import { compare } from './measure';

const many = 200;
const clock = { today: () => '2027-03-01', now: () => '2027-03-01T00:00:00Z' };
const money = { kind: 'decimal', precision: 20, scale: 2 } as const;
const text = { kind: 'text', format: 'plain', length: 255 } as const;
const column = (key: string, type: object = text) =>
  ({ key, label: key, type, required: false, unique: false }) as never;
const tables = houseOf([
  ['sheet', { key: 'sheet', title: 'Sheet', columns: [], display: [], indexes: [] }],
]);

const kinds = ['short_text', 'whole_number', 'yes_no', 'rating'] as const;

/** Questions of a table against the same form designed by hand, and counts of answers against SQL by hand. */
export async function questions({ url }: { connection: Connection; url: string }): Promise<void> {
  await forms();
  await counts(url);
}

function question(i: number): AskedQuestion {
  const kind = kinds[i % kinds.length] ?? 'short_text';
  return {
    ...{ id: i, code: `q${i}`, text: `Question ${i}`, kind, required: i % 3 === 0, help: '' },
    ...{ group: `Group ${Math.floor(i / 10)}`, when: i % 5 === 4 ? `q${i - 2} = true` : null },
    ...{ points: i % 4 === 2 ? '2' : null, least: null, greatest: null, unit: '' },
    ...{ options: [], table: null },
  };
}

const bare = planSchema.parse({
  ...{ format: 1, title: 'Sheet', table: 'sheet' },
  sections: [
    {
      ...{ key: 'asked', title: '', columns: 2 },
      fields: [{ ...plainField('points'), key: 'points', holds: money }],
      questions: {
        ...{ table: 'question', columns: { code: 'code', text: 'text', kind: 'kind' } },
        points: 'points',
        answers: {
          ...{ table: 'answer', sheet: 'sheet', code: 'code', question: null, asked: null },
          ...{ text: 'words', number: 'amount', day: 'day', yesNo: 'yes', option: 'choice' },
          record: null,
        },
      },
    },
  ],
});
const set = { given: {}, questions: Array.from({ length: many }, (_, i) => question(i)) };

/** The same form with a field for each question. */
function designed(): Plan {
  const plan = askedPlan(bare, { asked: set });
  const sections = plan.sections.map(({ key, title, columns, fields }) => ({
    ...{ key, title, columns, grid: null, page: null },
    fields: fields.map((field) => ({ ...field, savesTo: null, asked: undefined })),
  }));
  return { ...plan, sections };
}

async function forms(): Promise<void> {
  const byHand = designed();
  const values = Object.fromEntries(
    set.questions.map(({ code, kind }) => [
      code,
      kind === 'short_text' ? 'x' : kind === 'yes_no' ? true : 4,
    ]),
  );
  const filled = { values, own: Object.keys(values) };
  const open = (plan: Plan) => {
    const entry = new Entry(wireForm(plan, tables), { ...newBeginning(filled), around: { clock } });
    if (entry.value('q2') !== true) throw new Error('the benchmark fills nothing');
    return entry;
  };
  await compare({
    ...{ name: 'open-questions', sizes: `${many} questions, ${many} fields`, runs: 40 },
    // Each is opened as it comes from the server: nothing of it is known yet.
    ours: async () => open(askedPlan(structuredClone(bare), { asked: structuredClone(set) })),
    reference: async () => open(structuredClone(byHand)),
  });
  const [asked, hand] = [open(askedPlan(bare, { asked: set })), open(byHand)];
  let turn = 0;
  const change = (entry: Entry) => {
    entry.set('q2', turn++ % 4 < 2);
    if (entry.value('points') === null) throw new Error('the benchmark adds up nothing');
  };
  await compare({
    ...{ name: 'change-answer', sizes: `one of ${many}`, runs: 400 },
    ours: async () => change(asked),
    reference: async () => change(hand),
  });
}

/** Counts over 10,000 sheets with 40 answers each. */
async function counts(url: string): Promise<void> {
  const db = openDatabase(url, 'bench_questions');
  const drop = async () => {
    for (const schema of [db.records, db.catalog])
      await db.knex.raw('drop database if exists ??', [schema]);
  };
  await drop();
  await migrate(db, url);
  const day = { kind: 'date' };
  const sheet = { key: 'hall_check', title: 'Sheet', display: ['hall'], indexes: [] };
  await makeTable(db, { ...sheet, columns: [column('hall'), column('checked_on', day)] }, 'bench');
  const amount = { kind: 'decimal', precision: 12, scale: 4 };
  const to = { kind: 'reference', table: 'hall_check' };
  const columns = [column('hall_check', to), column('code'), column('asked'), column('words')];
  columns.push(column('amount', amount), column('yes', { kind: 'yes_no' }), column('choice'));
  columns.push(column('day', day), column('record', { kind: 'whole' }));
  const answers = { key: 'hall_check_answer', title: 'Answer', display: ['code'], indexes: [] };
  await makeTable(db, { ...answers, columns }, 'bench');
  const at = (table: string) => `\`${db.records}\`.\`${table}\``;
  await db.knex.raw(
    `insert into ${at('hall_check')} (hall, checked_on, created_by, updated_by)
     select concat('Hall ', seq), date_add('2025-01-01', interval seq % 600 day), 'b', 'b' from mysql.seq_1_to_10000`,
  );
  await db.knex.raw(
    `insert into ${at('hall_check_answer')} (hall_check, code, asked, words, amount, yes, choice, created_by, updated_by)
     select h.id, concat('q', s.seq), concat('Question ', s.seq),
       if(s.seq % 4 = 0, concat('Words ', h.id % 97), null),
       if(s.seq % 4 in (1, 3), if(s.seq % 4 = 3, 1 + h.id % 5, h.id % 250), null),
       if(s.seq % 4 = 2, h.id % 2, null), null, 'b', 'b'
     from ${at('hall_check')} h join mysql.seq_0_to_39 s`,
  );
  const all = await loadTables(db);
  const plan = planSchema.parse({ ...hallCheck, mails: [] });
  const section = plan.sections.find(asks);
  if (!section) throw new Error('the demo asks nothing');
  section.questions = { ...section.questions, narrowings: [] };
  section.questions.answers.question = null;
  const asked = Array.from({ length: 40 }, (_, i) => ({ ...question(i), when: null }));
  const answer = at('hall_check_answer');
  const coded = (wanted: string) => asked.filter(({ kind }) => kind === wanted).map((q) => q.code);
  const [words, numbers, rated] = [coded('short_text'), coded('whole_number'), coded('rating')];
  const chosen = [...coded('yes_no'), ...rated];
  const ask = (sql: string, bound: readonly unknown[] = []) =>
    db.knex.raw(sql, bound as never).then(([rows]: [unknown[]]) => rows);
  await compare({
    ...{ name: 'count-answers', sizes: '10,000 sheets, 40 answers each', runs: 7 },
    ours: async () => {
      const wish = { compare: 'none' as const, given: {}, filter: [], day: 'checked_on' };
      const { questions: counted } = await countAnswers(db, all, plan, section, asked, wish);
      if (counted[0]?.answered.n !== 10_000) throw new Error('the benchmark counts nothing');
    },
    reference: async () => {
      await ask(`select count(*) from ${at('hall_check')}`);
      await ask(`select code, count(*) from ${answer} group by code`);
      await ask(
        `select code, yes, if(code in (?), cast(amount as signed), null) rate, count(*)
         from ${answer} where code in (?) group by code, yes, rate`,
        [rated, chosen],
      );
      await ask(
        `select code, amount, count(*) from ${answer} where code in (?) group by code, amount order by code, amount`,
        [numbers],
      );
      await ask(
        `select * from (select code, words, hall_check, row_number() over (partition by code order by id desc) place
         from ${answer} where code in (?)) w where place <= 3`,
        [words],
      );
    },
  });
  await drop();
  await endDatabase(db);
}
