import { say } from '../words/say';
import { kindFitsType } from '../formula/convert';
import { kindWords, type Kind } from '../formula/kinds';
import { readFormula } from '../formula/reading';
import { wholeProblem, type FormulaProblem, type Formulas } from '../formula/syntax';
import { columnOf, type House } from '../table/definition';
import { typePhrase, type ValueType } from '../values/types';
import { messageFormulas, type EntryFormula } from './formulas';
import { heldTypeIn } from './held';
import { type Field, type Plan } from './schema';
import { scopesOf, type PlanScope } from './scopes';
import { tableChoices } from './choices';

/** Where a formula stands in a plan, and the question that it answers there. */
export type FormulaUse =
  | { at: 'computes' | 'initially' | 'shownWhen' | 'requiredWhen' | 'lockedWhen' }
  | { at: 'check'; index: number; part: 'holds' | 'message' }
  | { at: 'grid'; grid: string; part: 'whole' | 'rows' }
  | { at: 'write'; index: number; part: 'when' | 'record' }
  | { at: 'write'; index: number; part: 'value'; column: string }
  | { at: 'send'; index: number; part: 'when' }
  | { at: 'send'; index: number; part: 'value'; name: string }
  | { at: 'button'; label: string; step: number; part: 'when' | 'set' }
  | { at: 'button'; label: string; step: number; part: 'value'; name: string }
  | { at: 'after'; part: 'message' }
  | { at: 'after'; part: 'value'; name: string }
  | { at: 'mail'; index: number; part: 'when' | 'to' | 'subject' | 'text' };

/** What a formula has to give at its place. */
export type Wants =
  /** A value that something of this label and type can hold; `orKey`: or the text of a key that is typed. */
  | { is: 'value'; label: string; type: ValueType; orKey: boolean }
  | { is: 'yes_no' }
  /** A record of this table. */
  | { is: 'record'; table: string }
  /** One value that can be sent or carried along: no list, no range. */
  | { is: 'single' }
  /** Whatever it is; it is shown as text, or looked at when it is there. */
  | { is: 'anything' };

/** A formula in its place. */
export interface FormulaSite {
  /** The scope whose names it uses: `''` for the form itself, otherwise a grid. */
  scope: string;
  /** The field that it belongs to; `null` for one of the whole plan. */
  field: Field | null;
  use: FormulaUse;
  source: string;
  wants: Wants;
}

/** Every formula of a plan. What stands where nothing can be worked out (a column that is gone) is left out. */
export function formulaSites(plan: Plan, tables: House): FormulaSite[] {
  const scopes = scopesOf(plan);
  return [
    ...scopes.flatMap((scope) => [
      ...gridSites(scope),
      ...scope.fields.flatMap((field) => fieldSites(scope, field, tables)),
    ]),
    ...writeSites(plan, new Set(scopes.map(({ key }) => key)), tables),
    ...sendSites(plan),
    ...buttonSites(plan),
    ...afterSites(plan),
    ...mailSites(plan),
  ];
}

/** The formulas of a plan with their trees, each once: a page that fills the form in reads none itself. */
export function formulasRead(plan: Plan, tables: House): Formulas {
  const sources = new Set(formulaSites(plan, tables).map(({ source }) => source));
  return [...sources].map((source) => [source, readFormula(source)]);
}

const yesNo: Wants = { is: 'yes_no' };

function fieldSites(scope: PlanScope, field: Field, tables: House): FormulaSite[] {
  const type = heldTypeIn(scope, field, tables);
  return fieldFormulas(field).map(({ use, source }) => {
    return { scope: scope.key, field, use, source, wants: wantedOf(use, field, type) };
  });
}

/** The formulas of a field, as they are written. */
export function fieldFormulas(field: Field): Pick<FormulaSite, 'use' | 'source'>[] {
  const rules = (
    ['computes', 'initially', 'shownWhen', 'requiredWhen', 'lockedWhen'] as const
  ).flatMap((at) => (field[at] === null ? [] : [{ use: { at }, source: field[at] }]));
  const checks = field.checks.flatMap(({ holds, message }, index) => [
    { use: { at: 'check', index, part: 'holds' } as const, source: holds },
    ...messageFormulas(message).map((source) => ({
      use: { at: 'check', index, part: 'message' } as const,
      source,
    })),
  ]);
  return [...rules, ...checks];
}

/** What a formula of a field has to give. */
export function wantedOf(use: FormulaUse, field: Field, type: ValueType): Wants {
  if (use.at === 'computes' || use.at === 'initially') {
    const orKey = use.at === 'initially' && tableChoices(field)?.typedBy != null;
    return { is: 'value', label: field.label, type, orKey };
  }
  return use.at === 'check' && use.part === 'message' ? { is: 'anything' } : yesNo;
}

function gridSites({ key, shownWhen, rowsWhen }: PlanScope): FormulaSite[] {
  const site = (scope: string, part: 'whole' | 'rows', source: string | null): FormulaSite[] =>
    source === null
      ? []
      : [{ scope, field: null, use: { at: 'grid', grid: key, part }, source, wants: yesNo }];
  return [...site('', 'whole', shownWhen), ...site(key, 'rows', rowsWhen)];
}

function writeSites(plan: Plan, scopes: ReadonlySet<string>, tables: House): FormulaSite[] {
  return plan.writes.flatMap(({ table: key, each, record, when, values }, index) => {
    const table = tables.get(key);
    const scope = each ?? '';
    if (!table || !scopes.has(scope)) return [];
    const site = (use: FormulaUse, source: string | null, wants: Wants): FormulaSite[] =>
      source === null ? [] : [{ scope, field: null, use, source, wants }];
    return [
      ...Object.entries(values).flatMap(([column, source]) => {
        const into = columnOf(table, column);
        if (!into) return [];
        const wants: Wants = { is: 'value', label: into.label, type: into.type, orKey: false };
        return site({ at: 'write', index, part: 'value', column }, source, wants);
      }),
      ...site({ at: 'write', index, part: 'when' }, when, yesNo),
      ...site({ at: 'write', index, part: 'record' }, record, { is: 'record', table: key }),
    ];
  });
}

function sendSites({ sends = [] }: Plan): FormulaSite[] {
  const whole = { scope: '', field: null };
  return sends.flatMap(({ when, values }, index): FormulaSite[] => {
    const condition: FormulaSite[] =
      when === null
        ? []
        : [{ ...whole, use: { at: 'send', index, part: 'when' }, source: when, wants: yesNo }];
    const told = Object.entries(values).map(([name, source]): FormulaSite => {
      const use = { at: 'send', index, part: 'value', name } as const;
      return { ...whole, use, source, wants: { is: 'single' } };
    });
    return [...condition, ...told];
  });
}

function buttonSites({ buttons = [] }: Plan): FormulaSite[] {
  const whole = { scope: '', field: null };
  return buttons.flatMap(({ label, when, steps }) => {
    const site = (use: FormulaUse, source: string, wants: Wants): FormulaSite => ({
      ...whole,
      ...{ use, source, wants },
    });
    const condition =
      when === null ? [] : [site({ at: 'button', label, step: -1, part: 'when' }, when, yesNo)];
    const done = steps.flatMap((step, i) => {
      const named = (values: Readonly<Record<string, string>>) =>
        Object.entries(values).map(([name, source]) =>
          site({ at: 'button', label, step: i, part: 'value', name }, source, { is: 'single' }),
        );
      switch (step.do) {
        case 'ask':
        case 'save':
          return [];
        case 'set':
          return [site({ at: 'button', label, step: i, part: 'set' }, step.to, { is: 'anything' })];
        case 'tell':
          return named(step.values);
        case 'open':
          return named(step.carry);
      }
    });
    return [...condition, ...done];
  });
}

function afterSites({ after }: Plan): FormulaSite[] {
  if (!after) return [];
  const whole = { scope: '', field: null };
  return [
    ...messageFormulas(after.message).map((source): FormulaSite => {
      const use = { at: 'after', part: 'message' } as const;
      return { ...whole, use, source, wants: { is: 'anything' } };
    }),
    ...Object.entries(after.carry).map(([name, source]): FormulaSite => {
      const use = { at: 'after', part: 'value', name } as const;
      return { ...whole, use, source, wants: { is: 'single' } };
    }),
  ];
}

function mailSites({ mails = [] }: Plan): FormulaSite[] {
  const whole = { scope: '', field: null };
  return mails.flatMap((mail, index): FormulaSite[] => {
    const said = (['to', 'subject', 'text'] as const).flatMap((part) =>
      messageFormulas(mail[part]).map((source): FormulaSite => {
        return { ...whole, use: { at: 'mail', index, part }, source, wants: { is: 'anything' } };
      }),
    );
    if (mail.when === null) return said;
    const use = { at: 'mail', index, part: 'when' } as const;
    return [{ ...whole, use, source: mail.when, wants: yesNo }, ...said];
  });
}

/** What is wrong with a formula that cannot give what is wanted at its place; `null` where it can. */
export function misfit({ source, kind }: EntryFormula, wants: Wants): FormulaProblem | null {
  const wrong = (wanted: string) =>
    wholeProblem(source, 'formula_wrong_kind', { given: source, kind: kindWords(kind), wanted });
  switch (wants.is) {
    case 'anything':
      return null;
    case 'yes_no':
      return isYesNo(kind) ? null : wrong(say('yes/no'));
    case 'single':
      return ['list', 'range', 'record'].includes(kind.is) ? wrong(say('a single value')) : null;
    case 'record':
      return kind.is === 'record' && kind.of === wants.table
        ? null
        : wrong(say('a record of that table'));
    case 'value': {
      if (kindFitsType(kind, wants.type) || (wants.orKey && kind.is === 'text')) return null;
      const details = { kind: kindWords(kind), label: wants.label, held: typePhrase(wants.type) };
      return wholeProblem(source, 'formula_result', details);
    }
  }
}

/** Whether a formula may stand for a condition: it says yes or no, or nobody knows what it says. */
function isYesNo(kind: Kind): boolean {
  return ['yes_no', 'any', 'nothing'].includes(kind.is);
}
