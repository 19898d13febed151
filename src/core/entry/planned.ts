import type { Feel } from '../formula/feel';
import { evaluate } from '../formula/formula';
import type { EntryFormula } from '../plan/formulas';
import { namedPlace } from '../plan/scopes';
import type { Problem } from '../problems';
import type { Value, ValueType } from '../values/types';
import type { Entry, Row } from './entry';
import { canonicalOf } from './working-out';

/**
 * Works out what a save writes besides, or sends, and notes what does not come to an end or does not fit:
 * each a problem at the field that causes it, never a value that is quietly left out.
 */
export class Planning {
  readonly problems: Problem[] = [];

  constructor(readonly entry: Entry) {}

  /** What a formula gives; absent, with a problem, where it comes to no end. */
  result(host: Row, path: string, formula: EntryFormula): Feel {
    const evaluated = evaluate(formula, host, this.entry.clock);
    if ('value' in evaluated) return evaluated.value;
    this.note(host, path, formula, evaluated.problem);
    return null;
  }

  /** Whether something is sent with this save: a new record or every one, under its condition. */
  isMeant({ on, when }: { on: 'new' | 'every_save'; when: EntryFormula | null }): boolean {
    const { root } = this.entry;
    if (on === 'new' && root.stored !== null) return false;
    return !when || this.result(root, '', when) === true;
  }

  /** What a formula gives as a value of a type; absent, with a problem, where it is none. */
  value(host: Row, path: string, formula: EntryFormula, type: ValueType, label: string): Value {
    const made = canonicalOf(type, this.result(host, path, formula), label);
    if ('value' in made) return made.value;
    this.note(host, path, formula, made.problem);
    return null;
  }

  /** Notes a problem at the first field that a formula reads, or at its row or form where it reads none there. */
  note(host: Row, path: string, formula: EntryFormula, found: Problem): void {
    const { scopes } = this.entry.form;
    const own = formula.reads
      .map(([first = '']) => namedPlace(scopes, host.scope.key, first))
      .find((place) => place?.scope.fields.has(place.key));
    const at = own ? (path === '' ? own.key : `${path}.${own.key}`) : path;
    this.problems.push({ ...found, path: at });
  }
}
