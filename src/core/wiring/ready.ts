import type { Names } from '../formula/scope';
import { formulaSites, misfit, type FormulaSite, type FormulaUse } from '../plan/formula-sites';
import { compileIn, messageParts, type EntryFormula, type EntryHost } from '../plan/formulas';
import type { Field, Plan } from '../plan/schema';
import type { House } from '../table/definition';
import type { FormulaFinding, WiredFormula } from './wired';

/** The formulas of a plan made ready. */
export interface ReadyFormulas {
  /** All that can be used, in plan order. */
  all: readonly WiredFormula[];
  /** Those that cannot, each with the reason. */
  findings: readonly FormulaFinding[];
  /** The formula at a place; `null` where there is none, or none that can be used. */
  at: (use: FormulaUse, source: string | null, place?: Place) => EntryFormula | null;
}

/** What a formula belongs to, besides the plan as a whole. */
export interface Place {
  scope: string;
  field: Field | null;
}

/** Makes all formulas of a plan ready, and sees whether each gives what is wanted at its place. */
export function readyFormulas(
  plan: Plan,
  tables: House,
  names: ReadonlyMap<string, Names<EntryHost>>,
): ReadyFormulas {
  const all: WiredFormula[] = [];
  const findings: FormulaFinding[] = [];
  const byPlace = new Map<string, EntryFormula>();
  for (const site of formulaSites(plan, tables)) {
    const compiled = compileIn(names.get(site.scope), site.source);
    const found = 'problem' in compiled ? compiled.problem : misfit(compiled.formula, site.wants);
    if (found) findings.push({ ...site, found });
    else if ('formula' in compiled) {
      all.push({ ...site, formula: compiled.formula });
      byPlace.set(nameOf(site), compiled.formula);
    }
  }
  const at: ReadyFormulas['at'] = (use, source, { scope, field } = { scope: '', field: null }) =>
    source === null ? null : (byPlace.get(nameOf({ scope, field, use, source })) ?? null);
  return { all, findings, at };
}

/** A text with formulas in it, as it is said: one that cannot be used stands as it is written. */
export type ReadyText = readonly (string | EntryFormula)[];

/** Makes the text at a place ready. */
export function readyText(
  ready: ReadyFormulas,
  use: FormulaUse,
  text: string,
  place?: Place,
): ReadyText {
  return messageParts(text).map((part) =>
    part.formula ? (ready.at(use, part.text, place) ?? `{${part.text}}`) : part.text,
  );
}

function nameOf({ scope, field, use, source }: Omit<FormulaSite, 'wants'>): string {
  return JSON.stringify([scope, field?.key, use, source]);
}
