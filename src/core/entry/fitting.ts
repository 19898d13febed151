import { checkValue } from '../values/parse';
import type { Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import { type WiredScope, isDerived } from '../wiring/wired';
import type { EntryState } from './state';
import type { Filled } from './filled';

/**
 * What of an entry still fits a form that was changed meanwhile: what a person has set, where it is of the
 * type that the field has now; everything else begins as the form says. Rows stay, those of grids that are
 * gone do not.
 */
export function fittingState(form: WiredForm, { values, own, texts, rows }: EntryState): Filled {
  const kept = [...form.scopes.values()].flatMap((scope) => {
    const list = scope.key === '' ? undefined : rows[scope.key];
    return list
      ? [
          [
            scope.key,
            list.map((row) => ({ ...row, id: undefined, ...fitting(scope, row) })),
          ] as const,
        ]
      : [];
  });
  const root = form.scopes.get('');
  const host = root ? fitting(root, { values, own, texts }) : { values };
  return { ...host, rows: Object.fromEntries(kept) };
}

function fitting(
  scope: WiredScope,
  { values, own = [], texts }: Partial<Filled> & { values: Readonly<Record<string, unknown>> },
) {
  const kept: Record<string, Value> = {};
  const set: string[] = [];
  for (const wired of scope.list) {
    const { field, type } = wired;
    kept[field.key] = field.initial;
    const follows = isDerived(wired) || wired.broughtBy !== null;
    if (!own.includes(field.key) && !follows) continue;
    const checked = checkValue(type, values[field.key] ?? null, field.label);
    if (!('value' in checked)) continue;
    // What follows is shown as it was last until it is worked out anew.
    kept[field.key] = checked.value;
    if (own.includes(field.key)) set.push(field.key);
  }
  return { values: kept, own: set, texts };
}
