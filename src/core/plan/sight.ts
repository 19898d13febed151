import { say } from '../words/say';
import type { House } from '../table/definition';
import type { ValueType } from '../values/types';
import { heldTypeIn } from './held';
import { type Field, type Plan } from './schema';
import { scopeAround, scopesOf, type PlanScope } from './scopes';

/** A field as it is named where another one is designed. */
export interface Named {
  /** `fee` for one of the same scope, `parent.weeks` for one around it, `parent.parent.weeks` further out. */
  name: string;
  /** With what it belongs to, where that is not the scope itself: `Weeks of the form`. */
  label: string;
  type: ValueType;
  field: Field;
}

/** A scope as its fields are designed: its own fields, and all that can be named there. */
export interface Sight extends PlanScope {
  named: readonly Named[];
  /** The field in which the cursor starts; of the form itself only. */
  startsAt: string | null;
}

/** What is seen from the fields of a scope: `''` for the form itself, or the key of a grid. */
export function sightOf(plan: Plan, scope: string, tables: House): Sight | null {
  const scopes = new Map(scopesOf(plan).map((one) => [one.key, one]));
  const at = scopes.get(scope);
  if (!at) return null;
  const named: Named[] = [];
  let prefix = '';
  for (let from: PlanScope | null = at; from; from = scopeAround(scopes, from)) {
    const of = from === at ? '' : ` ${say(`of ${from.key === '' ? say('the form') : from.title}`)}`;
    for (const field of from.fields) {
      const type = heldTypeIn(from, field, tables);
      named.push({ name: `${prefix}${field.key}`, label: `${field.label}${of}`, type, field });
    }
    prefix += 'parent.';
  }
  return { ...at, named, startsAt: scope === '' ? plan.startsAt : null };
}

/** How people know what a name names; the name itself with a question mark, where that is nothing. */
export function namedLabel(sight: Sight, name: string | null): string {
  return sight.named.find((one) => one.name === name)?.label ?? `${name ?? ''}?`;
}
