import { problem, type Problem } from '../problems';
import { formatValue } from '../values/format';
import { sameValue, type Value } from '../values/types';
import type { WiredField, WiredForm } from '../wiring/form';
import { readField } from '../wiring/sources';
import { isDerived } from './cell';
import type { Entry, Row } from './entry';
import type { GivenRow } from './beginning';

/**
 * Values that nobody types and that came out otherwise than they were submitted: the tables have
 * changed since the person saw them, or somebody forged them. What is not saved, and what hangs on the
 * day or the moment, is taken as it comes out now.
 */
export function recomputed(
  entry: Entry,
  values: Readonly<Record<string, unknown>>,
  rows: Readonly<Record<string, readonly GivenRow[]>>,
): Problem[] {
  const found = changed(entry, values, '');
  for (const [grid, given] of Object.entries(rows)) {
    entry.rows(grid).forEach((row, i) => {
      found.push(...changed(entry, given[i]?.values ?? {}, `${grid}[${i}].`, row));
    });
  }
  return found;
}

function changed(
  entry: Entry,
  given: Readonly<Record<string, unknown>>,
  prefix: string,
  row?: Row,
): Problem[] {
  const { scope } = row ?? entry.root;
  return scope.list.flatMap((wired) => {
    const { field, type } = wired;
    const submitted = given[field.key];
    if (!isDerived(wired) || field.savesTo === null || submitted === undefined) return [];
    const value = entry.value(field.key, row);
    if (sameValue(submitted as Value, value) || followsClock(entry.form, wired)) return [];
    const details = {
      label: field.label,
      now: formatValue(type, value),
      given: formatValue(type, submitted as Value),
    };
    return [problem('value_changed', details, prefix + field.key)];
  });
}

/** Whether a field hangs on the day or the moment, itself or through others. */
function followsClock(form: WiredForm, wired: WiredField, seen = new Set<WiredField>()): boolean {
  if (seen.has(wired)) return false;
  seen.add(wired);
  const { computes, scope: key } = wired;
  const scope = form.scopes.get(key);
  if (!computes || !scope) return false;
  if (computes.usesClock) return true;
  return computes.reads.some((path) => {
    const source = readField(form.scopes, scope, path)?.wired;
    return source !== undefined && followsClock(form, source, seen);
  });
}
