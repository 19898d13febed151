import { num, say } from '../words/say';
import { houseOf } from '../table/sources';
import { columnOf, keyFrom, type Column, type Table, type House } from '../table/definition';
import { displayPaths } from '../table/paths';
import { lookup, plainField } from './draft';
import { type Field, type Plan } from './schema';
import { scopeOf, scopesOf } from './scopes';
import { tableChoices, type Narrowing } from './choices';

/** A cascade that could narrow a lookup: fields before it, each narrowing the next. */
export interface Cascade {
  /** The lookup that is narrowed. */
  field: string;
  /** In words: `Region → Town → Ensemble`. */
  title: string;
  /** Why: `each of 96 towns has one region`. */
  evidence: string[];
  /** What speaks against it, where something does; such a cascade is proposed, and never taken unasked. */
  exceptions: string[];
  /** How many fields it adds. */
  adds: number;
  apply: (plan: Plan) => Plan;
}

/** What is known of a table's size and of its columns' values. */
export interface Known {
  records: ReadonlyMap<string, number>;
  /** Columns of a table that determine others, with how many values each has. */
  dependencies: ReadonlyMap<
    string,
    readonly {
      from: string;
      to: string;
      fromValues: number;
      toValues: number;
      exceptions: { value: string; others: string[] }[];
    }[]
  >;
}

/** A list this long wants to be narrowed. */
const longList = 12;
const deepest = 4;

/**
 * Cascades for lookups of a scope (the form itself, or a grid) that nothing narrows yet: along references,
 * or along columns of one flat table.
 */
export function proposeCascades(plan: Plan, tables: House, known: Known, scope = ''): Cascade[] {
  const fields = scopesOf(plan).find(({ key }) => key === scope)?.fields ?? [];
  return fields.flatMap((field) => {
    const choices = tableChoices(field);
    const table = choices && tables.get(choices.table);
    if (!choices || !table || choices.narrowings.length > 0 || choices.distinct) return [];
    const along = alongReferences(field, scope, table, tables, known);
    const isLong = (known.records.get(table.key) ?? 0) > longList;
    const flat = isLong ? alongColumns(field, scope, table, known) : null;
    return [along, flat].filter((cascade) => cascade !== null);
  });
}

/** A plan with a cascade for every lookup that the data give one, the longest where there are two. */
export function withCascades(plan: Plan, tables: House, known: Known): Plan {
  const best = new Map<string, Cascade>();
  for (const cascade of proposeCascades(plan, tables, known)) {
    if (cascade.exceptions.length > 0) continue;
    if (cascade.adds > (best.get(cascade.field)?.adds ?? 0)) best.set(cascade.field, cascade);
  }
  return [...best.values()].reduce((made, cascade) => cascade.apply(made), plan);
}

/** A table, and the column of another one that refers to it. */
interface Step {
  table: Table;
  column: string;
  of: Table;
}

/** The tables that a table's records belong to, step by step; each step has to hold in the data. */
function stepsFrom(
  table: Table,
  tables: House,
  holds: (of: Table, column: Column, to: Table) => boolean,
): Step[] {
  const steps: Step[] = [];
  let of = table;
  while (steps.length < deepest) {
    const found = of.columns.flatMap((column): Step[] => {
      const to = column.type.kind === 'reference' ? tables.get(column.type.table) : undefined;
      const again = to === undefined || to === table || steps.some((s) => s.table === to);
      return !again && holds(of, column, to) ? [{ table: to, column: column.key, of }] : [];
    });
    const [next] = found;
    if (!next) break;
    steps.push(next);
    of = next.table;
  }
  return steps;
}

/**
 * region ← town ← ensemble: each table refers to the one before. Where no table is much smaller than the one
 * that refers to it in each of its records, the first reference there is, with what speaks against it.
 */
function alongReferences(
  field: Field,
  scope: string,
  table: Table,
  tables: House,
  known: Known,
): Cascade | null {
  const size = (t: Table) => known.records.get(t.key) ?? 0;
  const narrows = (of: Table, { required }: Column, to: Table) =>
    required && known.records.has(to.key) && size(to) * 2 <= size(of);
  const strong = size(table) > longList ? stepsFrom(table, tables, narrows) : [];
  const steps = strong.length > 0 ? strong : stepsFrom(table, tables, () => true).slice(0, 1);
  if (steps.length === 0) return null;
  const exceptions = strong.length > 0 ? [] : steps.flatMap((step) => against(step, size));
  const count = (t: Table) => num(size(t));
  const words = [...steps].reverse().map((step) => step.table.title);
  return {
    field: field.key,
    title: [...words, field.label].join(' → '),
    evidence: steps.map((s) =>
      say(
        `each of ${count(s.of)} records of ${s.of.title} has ${isRequired(s) ? 'one' : say('at most one')} ${s.table.title.toLowerCase()} (${count(s.table)})`,
      ),
    ),
    exceptions,
    adds: steps.length,
    apply: (plan) => {
      const taken = keysIn(plan, scope);
      const made: Field[] = [];
      for (const { table: to } of [...steps].reverse()) {
        const before = made.at(-1);
        const key = keyFrom(to.key, [...taken, ...made.map((f) => f.key)]);
        const column = before && steps.find((s) => s.of === to)?.column;
        made.push(lookupField(key, to, tables, before && column ? [by(column, before.key)] : []));
      }
      const last = made.at(-1);
      const column = steps[0]?.column;
      return last && column ? inserted(plan, scope, field.key, made, [by(column, last.key)]) : plan;
    },
  };
}

const isRequired = ({ of, column }: Step) => columnOf(of, column)?.required === true;

/** What speaks against narrowing by a reference. */
function against(step: Step, size: (table: Table) => number): string[] {
  const [of, to] = [step.of.title, step.table.title.toLowerCase()];
  const loose = isRequired(step)
    ? []
    : [say(`records of ${of} whose ${to} is empty would not be offered`)];
  const count = size(step.of);
  const short =
    count <= longList
      ? [say(`${of} holds only ${count} ${count === 1 ? 'record' : 'records'}`)]
      : [];
  const many = size(step.table) * 2 > count ? [say(`it narrows little`)] : [];
  return [...loose, ...(short.length > 0 ? short : many)];
}

/** category ← article: columns of one table, each determining the one before. */
function alongColumns(field: Field, scope: string, table: Table, known: Known): Cascade | null {
  const found = known.dependencies.get(table.key) ?? [];
  const chains = found
    .filter(({ from, to }) => isText(table, from) && isText(table, to))
    .sort((a, b) => a.toValues - b.toValues || a.fromValues - b.fromValues);
  const [first] = chains;
  if (!first) return null;
  const keys = [first.to, first.from];
  const further = chains.find((d) => d.to === first.from && !keys.includes(d.from));
  if (further) keys.push(further.from);
  const used = [first, ...(further ? [further] : [])];
  const label = (key: string) => columnOf(table, key)?.label ?? key;
  return {
    field: field.key,
    title: [...keys.map(label), field.label].join(' → '),
    evidence: used.map((d) =>
      say(
        `each of ${num(d.fromValues)} values of ${label(d.from)} has one ${label(d.to).toLowerCase()} (${num(d.toValues)})`,
      ),
    ),
    exceptions: used.flatMap((d) =>
      d.exceptions.map(({ value, others }) =>
        say(
          `${label(d.from)} “${value}” has ${others.map((o) => `“${o}”`).join(' and ')}: an error in the data?`,
        ),
      ),
    ),
    adds: keys.length,
    apply: (plan) => {
      const taken = keysIn(plan, scope);
      const made: Field[] = [];
      for (const column of keys) {
        const key = keyFrom(column, [...taken, ...made.map((f) => f.key)]);
        const narrowings = made.map((f, i) => by(keys[i] ?? '', f.key));
        made.push(distinctField(key, table, column, narrowings));
      }
      return inserted(
        plan,
        scope,
        field.key,
        made,
        made.map((f, i) => by(keys[i] ?? '', f.key)),
      );
    },
  };
}

function lookupField(key: string, table: Table, tables: House, narrowings: Narrowing[]): Field {
  const shown = displayPaths(tables, table);
  return {
    ...plainField(table.title),
    key,
    choices: { ...lookup(table.key, tables), shown, narrowings },
  };
}

function distinctField(key: string, table: Table, column: string, narrowings: Narrowing[]): Field {
  const choices = { ...lookup(table.key, houseOf()), shown: [column], narrowings };
  const stores = { kind: 'copy' as const, column };
  const label = columnOf(table, column)?.label ?? column;
  return { ...plainField(label), key, choices: { ...choices, stores, distinct: true } };
}

function by(path: string, field: string): Narrowing {
  return { path, operator: 'equal', field, whileEmpty: 'nothing' };
}

/** Puts fields before another one, which they narrow. */
function inserted(
  plan: Plan,
  scope: string,
  before: string,
  made: readonly Field[],
  narrowings: Narrowing[],
): Plan {
  const sections = plan.sections.map((section) => ({
    ...section,
    fields: section.fields.flatMap((f) => {
      if (scopeOf(section) !== scope || f.key !== before || f.choices?.kind !== 'table') return [f];
      return [...made, { ...f, choices: { ...f.choices, narrowings, takeOnly: true } }];
    }),
  }));
  return { ...plan, sections };
}

function keysIn(plan: Plan, scope: string): string[] {
  const fields = scopesOf(plan).find(({ key }) => key === scope)?.fields ?? [];
  return fields.map(({ key }) => key);
}

function isText(table: Table, key: string): boolean {
  const kind = columnOf(table, key)?.type.kind;
  return kind === 'text' || kind === 'option';
}
