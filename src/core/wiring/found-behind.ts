import { tableChoices } from '../plan/choices';
import type { WiredScope } from './wired';

/** A column to be read of the record that a field has chosen, for a field that only narrows it. */
export interface Found {
  from: string;
  path: string;
  into: string;
}

/**
 * The fields of a scope that are not saved but narrow one that is: a stored ensemble lies in a town, so
 * the town can be read of it, and of the town its region. In the order in which they can be read.
 */
export function foundBehind(scope: WiredScope): Found[] {
  const found: Found[] = [];
  const open = scope.list.filter(({ field }) => field.savesTo !== null);
  for (let next = open.shift(); next; next = open.shift()) {
    const choices = tableChoices(next.field);
    if (choices?.stores.kind !== 'link' || next.type.kind !== 'reference') continue;
    for (const { path, operator, field: key } of choices.narrowings) {
      const source = scope.fields.get(key);
      if (!source || operator !== 'equal' || source.field.savesTo !== null) continue;
      if (source.computes || source.broughtBy || source.sources.value) continue;
      if (found.some(({ into }) => into === key)) continue;
      found.push({ from: next.field.key, path, into: key });
      open.push(source);
    }
  }
  return found;
}
