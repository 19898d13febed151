import type { SendMethod } from '../outside/sending';
import type { Kind } from '../formula/kinds';
import type { Names } from '../formula/scope';
import { compileIn, type EntryFormula, type EntryHost } from '../plan/formulas';
import type { Button, ButtonStep, Plan } from '../plan/schema';
import { told, type FormulaProblem } from '../formula/syntax';

/** A step of a button made ready. */
export type WiredStep =
  | { do: 'set'; field: string; to: EntryFormula }
  | { do: 'ask' | 'save' }
  | {
      do: 'tell';
      connection: string;
      method: SendMethod;
      address: string;
      values: { name: string; formula: EntryFormula }[];
    }
  | { do: 'open'; form: string; carry: { name: string; formula: EntryFormula }[] };

/** A button of a form made ready. */
export interface WiredButton {
  key: string;
  label: string;
  when: EntryFormula | null;
  steps: WiredStep[];
}

/** Told of a formula of a button that cannot be used. */
export type NoteButton = (button: Button, source: string, found: FormulaProblem) => void;

/** Makes the buttons of a plan ready; one with a formula that cannot be used is left out whole. */
export function wireButtons(
  { buttons = [] }: Plan,
  names: Names<EntryHost> | undefined,
  note: NoteButton,
): WiredButton[] {
  return buttons.flatMap((button) => {
    const ready = (source: string, fits: (kind: Kind) => boolean = plain): EntryFormula | null => {
      const compiled = compileIn(names, source);
      if ('formula' in compiled && fits(compiled.formula.kind)) return compiled.formula;
      const details = { given: source, kind: 'something else', wanted: 'a plain value' };
      const whole = { from: 0, to: source.length };
      note(
        button,
        source,
        'problem' in compiled ? compiled.problem : told('formula_wrong_kind', whole, details),
      );
      return null;
    };
    const when = button.when === null ? null : ready(button.when, yesNo);
    const steps = button.steps.map((step) => wireStep(step, ready));
    if ((button.when !== null && !when) || steps.includes(null)) return [];
    const { key, label } = button;
    return [{ key, label, when, steps: steps.filter((step) => step !== null) }];
  });
}

function wireStep(
  step: ButtonStep,
  ready: (source: string, fits?: (kind: Kind) => boolean) => EntryFormula | null,
): WiredStep | null {
  const all = (formulas: Readonly<Record<string, string>>) => {
    const made = Object.entries(formulas).map(([name, source]) => ({
      name,
      formula: ready(source),
    }));
    const complete = made.flatMap(({ name, formula }) => (formula ? [{ name, formula }] : []));
    return complete.length === made.length ? complete : null;
  };
  switch (step.do) {
    case 'ask':
    case 'save':
      return step;
    case 'set': {
      const to = ready(step.to, () => true);
      return to && { do: 'set', field: step.field, to };
    }
    case 'tell': {
      const values = all(step.values);
      const { connection, method, address } = step;
      return values && { do: 'tell', connection, method, address, values };
    }
    case 'open': {
      const carry = all(step.carry);
      return carry && { do: 'open', form: step.form, carry };
    }
  }
}

const yesNo = (kind: Kind) => ['yes_no', 'any', 'nothing'].includes(kind.is);
const plain = (kind: Kind) => !['list', 'range'].includes(kind.is);

/** Every formula of a button. */
export function buttonFormulas({ when, steps }: WiredButton): EntryFormula[] {
  const all = steps.flatMap((step) => {
    if (step.do === 'set') return [step.to];
    if (step.do === 'tell') return step.values.map(({ formula }) => formula);
    return step.do === 'open' ? step.carry.map(({ formula }) => formula) : [];
  });
  return when ? [when, ...all] : all;
}
