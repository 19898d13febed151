import type { SendMethod } from '../outside/sending';
import type { EntryFormula } from '../plan/formulas';
import type { ButtonStep, Plan } from '../plan/schema';
import type { ReadyFormulas } from './ready';

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

/** The buttons of a plan, made ready; one with a formula that cannot be used is left out whole. */
export function wireButtons({ buttons = [] }: Plan, ready: ReadyFormulas): WiredButton[] {
  return buttons.flatMap((button) => {
    const { key, label } = button;
    const when = ready.at({ at: 'button', label, step: -1, part: 'when' }, button.when);
    const steps = button.steps.map((step, i) => wireStep(label, step, i, ready));
    if ((button.when !== null && !when) || steps.includes(null)) return [];
    return [{ key, label, when, steps: steps.filter((step) => step !== null) }];
  });
}

function wireStep(
  label: string,
  step: ButtonStep,
  i: number,
  ready: ReadyFormulas,
): WiredStep | null {
  const use = { at: 'button', label, step: i } as const;
  const all = (formulas: Readonly<Record<string, string>>) => {
    const names = Object.entries(formulas);
    const complete = names.flatMap(([name, source]) => {
      const formula = ready.at({ ...use, part: 'value', name }, source);
      return formula ? [{ name, formula }] : [];
    });
    return complete.length === names.length ? complete : null;
  };
  switch (step.do) {
    case 'ask':
    case 'save':
      return step;
    case 'set': {
      const to = ready.at({ ...use, part: 'set' }, step.to);
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
