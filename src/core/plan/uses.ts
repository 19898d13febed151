import { say, spoken } from '../words/say';
import type { House } from '../table/definition';
import { resolvePath } from '../table/paths';
import { fieldFormulas } from './formula-sites';
import { renameColumn, renameTable } from './rename';
import { type Field, type Plan } from './schema';
import { scopesOf } from './scopes';
import { tableChoices } from './choices';
import { scopedLabel } from './words';

/** What is to be renamed or removed: a table, one of its columns, or one option of a column. */
export interface Subject {
  table: string;
  column?: string;
  option?: string;
}

/** A place of a plan that uses something: a field, and which of the designer's questions name it. */
export interface PlanUse {
  /** The label of the field, with its grid before it; `''` for the form as a whole. */
  field: string;
  questions: string[];
}

/** A key that nothing has, to see what another key would change. */
const nowhere = 'zz_nowhere';

/** Where a plan uses a table, a column or an option, in form order. */
export function usesOf(plan: Plan, tables: House, subject: Subject): PlanUse[] {
  const { table, column, option } = subject;
  if (column !== undefined && option !== undefined) {
    return optionUses(plan, tables, table, column, option);
  }
  const without =
    column === undefined
      ? renameTable(plan, tables, table, nowhere)
      : renameColumn(plan, tables, table, column, nowhere);
  return differences(plan, without);
}

/** Where two plans with the same fields differ. */
function differences(before: Plan, after: Plan): PlanUse[] {
  const uses: PlanUse[] = [];
  const whole = [
    ...(before.table === after.table ? [] : ['saves its records']),
    ...(same(before.writes, after.writes) ? [] : ['written besides']),
    ...(same(before.sends, after.sends) ? [] : ['sent outside']),
    ...(same(before.mails, after.mails) ? [] : ['told by e-mail']),
    ...(same(before.after, after.after) ? [] : ['what follows a save']),
    ...(same(before.buttons, after.buttons) ? [] : ['buttons']),
    ...(same(before.through, after.through) ? [] : ['passes through']),
  ];
  if (whole.length > 0) uses.push({ field: '', questions: whole });
  before.sections.forEach(({ title, grid, questions }, i) => {
    const other = after.sections[i];
    if (other && !same(grid, other.grid)) uses.push({ field: title, questions: ['its lines'] });
    if (other && !same(questions, other.questions)) {
      uses.push({ field: title, questions: ['its questions'] });
    }
  });
  const others = scopesOf(after);
  scopesOf(before).forEach((scope, s) => {
    scope.fields.forEach((field, f) => {
      const other = others[s]?.fields[f];
      const questions = other ? changedQuestions(field, other) : [];
      if (questions.length > 0) uses.push({ field: scopedLabel(scope, field), questions });
    });
  });
  return uses;
}

function changedQuestions(field: Field, other: Field): string[] {
  const [before, after] = [field, other].map((one) => {
    const { narrowings = [], ...choices } = tableChoices(one) ?? {};
    const { narrowings: rolled = [], ...rollup } = one.rollup ?? {};
    return {
      'comes from': [tableChoices(one) ? choices : one.choices, rollup, one.holds],
      'narrowed by': [narrowings, rolled],
      brings: one.brings,
      formula: fieldFormulas(one).map(({ source }) => source),
      'saves to': one.savesTo,
    };
  });
  if (!before || !after) return [];
  return (Object.keys(before) as (keyof typeof before)[]).filter(
    (question) => !same(before[question], after[question]),
  );
}

/** Conditions, defaults and formulas that name an option of a column. */
function optionUses(
  plan: Plan,
  tables: House,
  table: string,
  column: string,
  option: string,
): PlanUse[] {
  const meant = (start: string, path: string) => {
    const from = tables.get(start);
    const resolved = from && resolvePath(tables, from, path);
    return resolved?.table.key === table && resolved.column.key === column;
  };
  return scopesOf(plan).flatMap((scope) =>
    scope.fields.flatMap((field) => {
      const conditions = [
        ...(tableChoices(field)?.conditions ?? []).map((c) => [field.choices, c] as const),
        ...[...(field.rollup?.conditions ?? []), ...(field.rollup?.less ?? [])].map(
          (c) => [field.rollup, c] as const,
        ),
      ].filter(([from, c]) => {
        const start = from && 'table' in from ? from.table : '';
        return meant(start, c.path) && c.values.includes(option);
      });
      const held = scope.table === table && field.savesTo === column;
      const written = fieldFormulas(field).some(({ source }) => source.includes(`"${option}"`));
      const questions = [
        ...(conditions.length > 0 ? ['comes from'] : []),
        ...(held && field.initial === option ? ['default'] : []),
        ...(written ? ['formula'] : []),
      ];
      return questions.length > 0 ? [{ field: scopedLabel(scope, field), questions }] : [];
    }),
  );
}

function same(a: unknown, b: unknown): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}

/** The questions of a use, as people read them: they are kept with the plans as they stand here. */
export const useWords: Readonly<Record<string, string>> = spoken(() => ({
  'saves its records': say('saves its records'),
  'written besides': say('written besides'),
  'sent outside': say('sent outside'),
  buttons: say('buttons'),
  'passes through': say('passes through'),
  'its lines': say('its lines'),
  'comes from': say('comes from'),
  'narrowed by': say('narrowed by'),
  brings: say('brings'),
  formula: say('formula'),
  'saves to': say('saves to'),
  default: say('default'),
  table: say('table'),
}));
