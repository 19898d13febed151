import { say, spoken } from '../words/say';
import type { Kind } from '../formula/kinds';
import { checkup, sortedFindings } from '../plan/checkup';
import type { Finding, Known } from '../plan/finding';
import { updateField } from '../plan/edit';
import type { FormulaUse } from '../plan/formula-sites';
import { compileIn } from '../plan/formulas';
import { type Plan } from '../plan/schema';
import { addressOf } from '../plan/scopes';
import { problem } from '../problems';
import { foundBehind } from './found-behind';
import type { House } from '../table/definition';
import { plainText, type ValueType } from '../values/types';
import { wireForm, type WiredForm } from './form';
import type { FormulaFinding } from './wired';
import { readField } from './sources';

/**
 * A draft wired and examined; where it cannot be wired, for whatever reason, that is its one finding, so that
 * its sheet can still be shown and it can be mended there.
 */
export function wiredDraft(
  plan: Plan,
  tables: House,
  house: Known = {},
): { form: WiredForm | null; findings: Finding[] } {
  try {
    const form = wireForm(plan, tables);
    return { form, findings: examine(plan, tables, form, house) };
  } catch (error) {
    const reason = error instanceof Error ? error.message : String(error);
    const found = problem('draft_unwired', { title: plan.title, reason });
    return { form: null, findings: [{ level: 'problem', field: null, problem: found }] };
  }
}

/** Examines a plan with its formulas and with what follows from what; problems first. */
export function examine(
  plan: Plan,
  tables: House,
  form: WiredForm = wireForm(plan, tables),
  house: Known = {},
): Finding[] {
  const findings = checkup(plan, tables, readByFormulas(form), house);
  for (const finding of form.findings) findings.push(formulaFinding(form, finding));
  findings.push(...unsavedConditions(form));
  if (form.cycle) {
    const found = problem('cycle', { path: form.cycle.join(' → ') });
    findings.push({ level: 'problem', field: null, problem: found });
  }
  return sortedFindings(findings);
}

/**
 * Lines that are there under a condition on a field that is not saved: when the record is opened again, that
 * field is empty, and the lines are out of sight.
 */
function unsavedConditions(form: WiredForm): Finding[] {
  const root = form.scopes.get('');
  if (!root) return [];
  const behind = new Set(foundBehind(root).map(({ into }) => into));
  return [...form.scopes.values()].flatMap(({ title, shownWhen }): Finding[] => {
    const fields = (shownWhen?.reads ?? []).flatMap((path) => {
      const read = readField(form.scopes, root, path);
      return read && read.wired.scope === '' ? [read.wired] : [];
    });
    const unsaved = fields.find(
      ({ field, computes, broughtBy }) =>
        field.savesTo === null &&
        !computes &&
        !broughtBy &&
        !field.rollup &&
        !field.outside &&
        !behind.has(field.key),
    );
    if (!unsaved) return [];
    const { key, label } = unsaved.field;
    return [{ level: 'hint', field: key, problem: problem('condition_unsaved', { label, title }) }];
  });
}

/** The addresses of the fields that formulas read. */
function readByFormulas(form: WiredForm): Set<string> {
  const read = new Set<string>();
  for (const { scope: key, field, formula } of form.formulas) {
    const scope = form.scopes.get(key);
    for (const path of scope ? formula.reads : []) {
      // A field that reads itself is not read by anything.
      if (path[0] === field?.key) continue;
      const found = scope && readField(form.scopes, scope, path);
      if (found) read.add(addressOf(found.wired.scope, found.wired.field.key));
    }
  }
  return read;
}

function formulaFinding(
  form: WiredForm,
  { scope, field, use, source, found }: FormulaFinding,
): Finding {
  const whole =
    use.at === 'grid'
      ? say(
          `${form.scopes.get(use.grid)?.title ?? use.grid}, ${use.part === 'rows' ? say('lines in sight') : 'shown'} when`,
        )
      : use.at === 'button'
        ? say(`The button ${use.label}`)
        : use.at === 'send'
          ? say('What is sent outside')
          : use.at === 'after'
            ? say('After a save')
            : use.at === 'mail'
              ? say('An e-mail')
              : say('A record written besides');
  const where = field ? `${field.label}, ${useWords[use.at]}` : whole;
  const at = field ? addressOf(scope, field.key) : null;
  const told = {
    ...found.problem,
    message: `${where}: ${found.problem.message}`,
    path: at ?? '',
  };
  const finding: Finding = { level: 'problem', field: at, problem: told };
  if (!field || found.problem.code !== 'formula_result' || field.savesTo !== null) return finding;
  const compiled = compileIn(form.names.get(scope), source);
  const holds = 'formula' in compiled ? typeForKind(compiled.formula.kind) : null;
  if (!holds || field.choices) return finding;
  const apply = (plan: Plan) => updateField(plan, addressOf(scope, field.key), { holds });
  return { ...finding, fix: { label: say('Let it hold what the formula gives'), apply } };
}

const useWords: Record<FormulaUse['at'], string> = spoken(() => ({
  computes: say('computed'),
  initially: say('begins with'),
  shownWhen: say('shown when'),
  requiredWhen: say('required when'),
  lockedWhen: say('locked when'),
  check: say('check'),
  grid: say('shown when'),
  write: say('written'),
  send: say('sent'),
  mail: say('told by e-mail'),
  button: say('button'),
  after: say('after a save'),
}));

/** What a field can hold so that a formula of this kind fits; `null` where nothing does. */
export function typeForKind(kind: Kind): ValueType | null {
  switch (kind.is) {
    case 'number':
      return { kind: 'decimal', precision: 12, scale: 2 };
    case 'text':
      return plainText;
    case 'yes_no':
    case 'date':
    case 'time':
    case 'date_time':
      return { kind: kind.is };
    case 'days':
      return { kind: 'duration' };
    case 'record':
      return kind.path && kind.of !== '{}' ? { kind: 'reference', table: kind.of } : null;
    default:
      return null;
  }
}
