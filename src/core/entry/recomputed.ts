import { reader } from '../words/reader';
import { problem, type Problem } from '../problems';
import { formatValue } from '../values/format';
import { sameValue, type Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import { type WiredField, isDerived } from '../wiring/wired';
import { readField } from '../wiring/sources';
import type { Entry, Row } from './entry';
import type { Filled, HostFilled } from './filled';

/**
 * Values that nobody types and that came out otherwise than they were submitted: the tables have
 * changed since the person saw them, or somebody forged them. What is not saved, and what hangs on the
 * day or the moment, is taken as it comes out now.
 */
export function recomputed(entry: Entry, filled: Filled): Problem[] {
  const found = changed(entry, filled, '');
  for (const [grid, given] of Object.entries(filled.rows ?? {})) {
    entry.rows(grid).forEach((row, i) => {
      const host = given[i];
      if (host) found.push(...changed(entry, host, `${grid}[${i}].`, row));
    });
  }
  return found;
}

function changed(entry: Entry, { values, own }: HostFilled, prefix: string, row?: Row): Problem[] {
  const { scope } = row ?? entry.root;
  return scope.list.flatMap((wired) => {
    const { field, type } = wired;
    const submitted = values[field.key];
    if (field.savesTo === null || submitted === undefined) return [];
    const { hidden, value: now } = entry.cell(field.key, row);
    const lost = hidden && submitted !== null && !sameValue(submitted as Value, now);
    if (lost && field.whileHidden === 'clear' && !isDerived(wired)) {
      const details = {
        label: field.label,
        given: formatValue(type, submitted as Value, reader()),
      };
      return [problem('not_shown', details, prefix + field.key)];
    }
    // A default or an editable brought value that nobody has set follows too, where that is said.
    const follows = wired.broughtBy !== null || wired.initially !== null;
    if (!isDerived(wired) && !(follows && own?.includes(field.key) === false)) return [];
    const value = entry.value(field.key, row);
    if (sameValue(submitted as Value, value) || followsClock(entry.form, wired)) return [];
    const details = {
      label: field.label,
      now: formatValue(type, value, reader()),
      given: formatValue(type, submitted as Value, reader()),
    };
    return [problem('value_changed', details, prefix + field.key)];
  });
}

/** Whether a field hangs on the day or the moment, itself or through others. */
export function followsClock(
  form: WiredForm,
  wired: WiredField,
  seen = new Set<WiredField>(),
): boolean {
  if (seen.has(wired)) return false;
  seen.add(wired);
  const { scope: key } = wired;
  const formula = wired.computes ?? wired.initially;
  const scope = form.scopes.get(key);
  if (!formula || !scope) return false;
  if (formula.usesClock) return true;
  return formula.reads.some((path) => {
    const source = readField(form.scopes, scope, path)?.wired;
    return source !== undefined && followsClock(form, source, seen);
  });
}
