import { group } from 'd3-array';
import type { CountedAnswers, CountedQuery, CountedQuestion } from '$lib/core/contract/counted';
import { askedBy, ratingScale, type AskingSection } from '$lib/core/plan/asked-plan';
import { questionKinds, type AskedQuestion } from '$lib/core/plan/asked-set';
import { rootScope } from '$lib/core/plan/scopes';
import type { Plan, Questions } from '$lib/core/plan/schema';
import type { Condition } from '$lib/core/table/conditions';
import type { House, Table } from '$lib/core/table/definition';
import { formatValue } from '$lib/core/values/format';
import { binned, edgesOf, spreadOf, type Spread } from '$lib/core/values/spread';
import { comparedWith, type Period } from '$lib/core/values/periods';
import type { Scalar } from '$lib/core/values/types';
import { reader } from '$lib/core/words/reader';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { rowsOf, type Row } from '../database/rows';
import { allOf, TableQuery } from './query';
import { shownRecords } from './read';

/** Which sheets are counted. */
export interface CountedWish extends CountedQuery {
  /** The values of the fields that pick the questions. */
  given: Readonly<Record<string, Scalar>>;
  /** What holds of the sheets besides, by columns of theirs. */
  filter: readonly Condition[];
  /** The column of the sheet that says when it was filled in. */
  day: string | null;
}

/** The newest texts of a question that are told. */
const mostTexts = 3;
/** Kinds of which a sheet has one answer. */
const singleKinds = questionKinds.filter((kind) => kind !== 'several_of');
/** At most so many different choices are told. */
const mostBars = 30;

/**
 * Counts what was answered to the questions of a section, in the database, over the sheets that whoever asks
 * sees: question by question, in a period and in the one that it is compared with.
 */
export async function countAnswers(
  db: Database,
  tables: House,
  plan: Plan,
  section: AskingSection,
  asked: readonly AskedQuestion[],
  wish: CountedWish,
): Promise<CountedAnswers> {
  const counting = new Counting(db, tables, plan, section, wish);
  const [now, before] = counting.periods();
  const sheets = {
    n: await counting.sheets(now),
    before: before ? await counting.sheets(before) : 0,
  };
  const first = await counting.period(now, asked);
  const second = before ? await counting.period(before, asked, first) : null;
  const gone = [...first.answered.keys()].filter((code) => !asked.some((q) => q.code === code));
  const questions = [
    ...asked.map((question) => ({
      ...question,
      kind: question.kind as AskedQuestion['kind'] | null,
    })),
    ...gone.map((code) => ({
      ...{ code, text: first.words.get(code) ?? code, kind: null, group: '', unit: '' },
    })),
  ];
  const texts = await counting.texts(now, asked);
  return {
    sheets,
    questions: questions.map(({ code, text, kind, group, unit }): CountedQuestion => {
      const bars = mergedBars(first.bars.get(code), second?.bars.get(code), optionsOf(asked, code));
      return {
        ...{ code, text, kind, group, unit, bars },
        answered: { n: first.answered.get(code) ?? 0, before: second?.answered.get(code) ?? 0 },
        spread: first.spreads.get(code) ?? null,
        spreadBefore: second?.spreads.get(code) ?? null,
        bins: (first.edges.get(code) ?? []).slice(0, -1).map((from, i) => ({
          from,
          to: first.edges.get(code)?.[i + 1] ?? from,
          n: first.bins.get(code)?.get(i) ?? 0,
          before: second?.bins.get(code)?.get(i) ?? 0,
        })),
        months: mergedMonths(first.months.get(code), second?.months.get(code)),
        texts: texts.get(code) ?? [],
      };
    }),
  };
}

/** What one period holds, by code. */
interface Counted {
  answered: Map<string, number>;
  words: Map<string, string>;
  bars: Map<string, Map<string, number>>;
  spreads: Map<string, Spread>;
  /** The bounds of bins, one more than there are bins. */
  edges: Map<string, readonly number[]>;
  bins: Map<string, Map<number, number>>;
  months: Map<string, Map<string, number>>;
}

class Counting {
  readonly #answers: Questions['answers'];
  readonly #kept: Table;
  readonly #sheet: Table;
  readonly #conditions: readonly Condition[];

  constructor(
    readonly db: Database,
    readonly tables: House,
    plan: Plan,
    section: AskingSection,
    readonly wish: CountedWish,
  ) {
    this.#answers = section.questions.answers;
    this.#kept = tableFrom(tables.whole, this.#answers.table);
    this.#sheet = tableFrom(tables.whole, plan.table);
    const { fields } = rootScope(plan);
    const picked = askedBy(section).flatMap((key) => {
      const column = fields.find((field) => field.key === key)?.savesTo ?? null;
      const value = wish.given[key] ?? null;
      return column === null || value === null
        ? []
        : [{ path: column, operator: 'equal' as const, values: [value] }];
    });
    this.#conditions = [...picked, ...wish.filter];
  }

  /** The period that is looked at, and the one that it is compared with. */
  periods(): [Period, Period | null] {
    const { from = null, to = null, compare } = this.wish;
    const now = { from, to };
    return [now, compare === 'none' ? null : comparedWith(now, compare)];
  }

  #within({ from, to }: Period): Condition[] {
    const { day } = this.wish;
    if (day === null) return [...this.#conditions];
    const bound = (operator: 'at_least' | 'at_most', value: string | null): Condition[] =>
      value === null ? [] : [{ path: day, operator, values: [value] }];
    return [...this.#conditions, ...bound('at_least', from), ...bound('at_most', to)];
  }

  async sheets(period: Period): Promise<number> {
    const query = new TableQuery(this.db, this.tables, this.#sheet);
    const where = allOf(this.#within(period).map((condition) => query.condition(condition)));
    const sql = `select count(*) as n ${query.from()} where ${where.sql}`;
    const [row] = await rowsOf(this.db.knex, sql, where.bindings);
    return Number(row?.n ?? 0);
  }

  /** Reads of the answers of a period: what is said of them, and how they are grouped. */
  async #read(
    period: Period,
    says: (column: (part: Exclude<keyof Questions['answers'], 'table'>) => string) => {
      select: string;
      /** What is bound in what is selected. */
      head?: readonly (string | number)[];
      where?: string;
      tail?: string;
      bound?: readonly (string | number)[];
    },
  ): Promise<Row[]> {
    const query = new TableQuery(this.db, this.tables, this.#kept);
    const column = (part: Exclude<keyof Questions['answers'], 'table'>) => {
      const key = this.#answers[part];
      return key === null ? 'null' : query.column(key).sql;
    };
    const { sheet } = this.#answers;
    const conditions = this.#within(period).map(({ path, ...rest }) =>
      query.condition({ ...rest, path: `${sheet}.${path}` }),
    );
    // A sheet out of sight takes its answers along; where all is seen, every answer has its sheet.
    const there = this.tables.sight
      ? [{ sql: `${query.column(`${sheet}.id`).sql} is not null`, bindings: [] }]
      : [];
    const where = allOf([...conditions, ...there]);
    const { select, head = [], where: more = 'true', tail = '', bound = [] } = says(column);
    const sql = `select ${select} ${query.from()} where ${where.sql} and ${more} ${tail}`;
    return rowsOf(this.db.knex, sql, [...head, ...where.bindings, ...bound]);
  }

  async period(
    period: Period,
    asked: readonly AskedQuestion[],
    like: Counted | null = null,
  ): Promise<Counted> {
    const of = (...kinds: AskedQuestion['kind'][]) =>
      asked.filter(({ kind }) => kinds.includes(kind)).map(({ code }) => code);
    const counted: Counted = {
      ...{ answered: new Map(), words: new Map(), bars: new Map(), spreads: new Map() },
      ...{ edges: like?.edges ?? new Map<string, readonly number[]>(), bins: new Map() },
      months: new Map(),
    };
    await this.#answered(period, counted, of(...singleKinds));
    await this.#bars(period, counted, of('rating'), of('one_of', 'several_of', 'yes_no', 'rating'));
    await this.#spreads(period, counted, of('whole_number', 'decimal'), like === null);
    await this.#months(period, counted, of('date'));
    return counted;
  }

  async #bars(
    period: Period,
    { bars }: Counted,
    ratings: readonly string[],
    codes: readonly string[],
  ): Promise<void> {
    if (codes.length === 0) return;
    const rows = await this.#read(period, (column) => {
      const code = column('code');
      const rated = ratings.length > 0 ? `${code} in (${marks(ratings)})` : 'false';
      const shown = `coalesce(${column('option')}, case ${column('yesNo')} when 1 then 'yes' when 0 then 'no' end,
        case when ${rated} then cast(${column('number')} as signed) end)`;
      return {
        select: `${code} as code, ${shown} as chosen, count(*) as n`,
        where: `${code} in (${marks(codes)})`,
        tail: 'group by 1, 2 order by 3 desc',
        ...{ head: ratings, bound: codes },
      };
    });
    for (const { code, chosen, n } of rows) {
      if (chosen === null) continue;
      const known = bars.get(String(code)) ?? new Map<string, number>();
      bars.set(String(code), known);
      if (known.size < mostBars) known.set(String(chosen), Number(n));
    }
  }

  /** How many sheets have an answer; of what is not asked any more also how it was asked. */
  async #answered(
    period: Period,
    { answered, words }: Counted,
    single: readonly string[],
  ): Promise<void> {
    // Where a sheet has one answer each, they need not be told apart.
    const once = await this.#read(period, (column) => ({
      select: `${column('code')} as code, count(*) as n`,
      where: single.length > 0 ? `${column('code')} in (${marks(single)})` : 'false',
      tail: `group by ${column('code')}`,
      bound: single,
    }));
    const others = await this.#read(period, (column) => ({
      select: `${column('code')} as code, count(distinct ${column('sheet')}) as n, max(${column('asked')}) as words`,
      where: single.length > 0 ? `${column('code')} not in (${marks(single)})` : 'true',
      tail: `group by ${column('code')}`,
      bound: single,
    }));
    for (const { code, n, words: said } of [...once, ...others]) {
      answered.set(String(code), Number(n));
      words.set(String(code), String(said ?? code));
    }
  }

  /** How numbers are spread, and how many lie in each bin: from how often each number was answered. */
  async #spreads(
    period: Period,
    counted: Counted,
    codes: readonly string[],
    finds: boolean,
  ): Promise<void> {
    if (codes.length === 0) return;
    const rows = await this.#read(period, (column) => ({
      select: `${column('code')} as code, ${column('number')} as number, count(*) as n`,
      where: `${column('number')} is not null and ${column('code')} in (${marks(codes)})`,
      tail: 'group by 1, 2 order by 1, 2',
      bound: codes,
    }));
    for (const [code, own] of group(rows, ({ code }) => String(code))) {
      const numbers = own.map(({ number, n }) => ({ number: Number(number), n: Number(n) }));
      const spread = spreadOf(numbers);
      counted.spreads.set(code, spread);
      if (finds) counted.edges.set(code, edgesOf(Number(spread.least), Number(spread.greatest)));
      const edges = counted.edges.get(code) ?? [];
      if (edges.length > 1) counted.bins.set(code, binned(numbers, edges));
    }
  }

  async #months(period: Period, { months }: Counted, codes: readonly string[]): Promise<void> {
    if (codes.length === 0) return;
    const rows = await this.#read(period, (column) => ({
      select: `${column('code')} as code, date_format(${column('day')}, '%Y-%m') as month, count(*) as n`,
      where: `${column('day')} is not null and ${column('code')} in (${marks(codes)})`,
      tail: 'group by 1, 2 order by 2',
      bound: codes,
    }));
    for (const { code, month, n } of rows) {
      const own = months.get(String(code)) ?? new Map<string, number>();
      own.set(String(month), Number(n));
      months.set(String(code), own);
    }
  }

  /** The newest texts of each question that is answered in words. */
  async texts(
    period: Period,
    asked: readonly AskedQuestion[],
  ): Promise<Map<string, CountedQuestion['texts']>> {
    const codes = asked
      .filter(({ kind }) => ['short_text', 'long_text', 'time', 'record'].includes(kind))
      .map(({ code }) => code);
    if (codes.length === 0) return new Map();
    const rows = await this.#read(period, (column) => ({
      select: `${column('code')} as code, coalesce(${column('text')}, ${column('record')}) as words, ${column('sheet')} as sheet,
        row_number() over (partition by ${column('code')} order by r.\`id\` desc) as place`,
      where: `${column('code')} in (${marks(codes)})`,
      tail: `order by place limit ${mostTexts * codes.length}`,
      bound: codes,
    }));
    const own = rows.filter(({ place, words }) => Number(place) <= mostTexts && words !== null);
    const ids = [...new Set(own.map(({ sheet }) => Number(sheet)))];
    const shown = await shownRecords(this.db, this.db.knex, this.tables, this.#sheet, ids);
    const named = await this.#named(own, asked);
    const found = new Map<string, CountedQuestion['texts']>();
    for (const { code, words, sheet } of own) {
      const list = found.get(String(code)) ?? [];
      const id = Number(sheet);
      const kind = asked.find((one) => one.code === code)?.kind;
      const said =
        kind === 'time' ? formatValue({ kind: 'time' }, String(words), reader()) : String(words);
      const text = named.get(`${String(code)} ${String(words)}`) ?? said;
      list.push({ text, sheet: id, shown: shown.get(id) ?? String(id) });
      found.set(String(code), list);
    }
    return found;
  }

  /** The records that were chosen in one line each, by code and number. */
  async #named(
    rows: readonly Row[],
    asked: readonly AskedQuestion[],
  ): Promise<Map<string, string>> {
    const named = new Map<string, string>();
    for (const { code, table } of asked) {
      const chosen = table === null ? undefined : this.tables.get(table);
      const ids = rows.filter((row) => row.code === code).map(({ words }) => Number(words));
      if (!chosen || ids.length === 0) continue;
      const lines = await shownRecords(this.db, this.db.knex, this.tables, chosen, ids);
      for (const [id, line] of lines) named.set(`${code} ${id}`, line);
    }
    return named;
  }
}

function marks(values: readonly unknown[]): string {
  return values.map(() => '?').join(', ');
}

function optionsOf(asked: readonly AskedQuestion[], code: string): Map<string, string> {
  const question = asked.find((one) => one.code === code);
  if (question?.kind === 'yes_no') {
    const said = (value: boolean) => formatValue({ kind: 'yes_no' }, value, reader());
    return new Map([
      ['yes', said(true)],
      ['no', said(false)],
    ]);
  }
  const options = ratingScale(question) ?? question?.options ?? [];
  return new Map(options.map(({ value, label }) => [value, label]));
}

/** All choices in their order, those that nobody took too; then what was chosen and is offered no more. */
function mergedBars(
  now: ReadonlyMap<string, number> = new Map(),
  before: ReadonlyMap<string, number> = new Map(),
  options: ReadonlyMap<string, string>,
): CountedQuestion['bars'] {
  const values = new Set([...options.keys(), ...now.keys(), ...before.keys()]);
  return [...values].map((value) => ({
    label: options.get(value) ?? value,
    n: now.get(value) ?? 0,
    before: before.get(value) ?? 0,
  }));
}

function mergedMonths(
  now: ReadonlyMap<string, number> = new Map(),
  before: ReadonlyMap<string, number> = new Map(),
): CountedQuestion['months'] {
  const all = [...new Set([...now.keys(), ...before.keys()])].sort();
  return all.map((month) => ({ month, n: now.get(month) ?? 0, before: before.get(month) ?? 0 }));
}
