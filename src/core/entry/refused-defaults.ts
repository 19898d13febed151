import { say } from '../words/say';
import { reader } from '../words/reader';
import { updateField } from '../plan/edit';
import type { Finding } from '../plan/finding';
import { problem } from '../problems';
import { formatValue } from '../values/format';
import { sameValue } from '../values/types';
import type { Entry } from './entry';

/**
 * The defaults of a form that its lists do not offer, as an entry has found out that has read them: what stood
 * there at the beginning was cleared, or is marked. Only whoever has asked the database can know it.
 */
export function refusedDefaults(entry: Entry): Finding[] {
  return entry.root.cells.flatMap(({ wired, value, notOffered, name }): Finding[] => {
    const { field, type, sources } = wired;
    if (field.initial === null || !sources.list || sources.list.from === 'options') return [];
    const marked = notOffered && sameValue(value, field.initial);
    const cleared = entry.trace.some(
      ({ kind, field: of, cause, before }) =>
        kind === 'cleared' &&
        of === name &&
        cause === null &&
        sameValue(before ?? null, field.initial),
    );
    if (!marked && !cleared) return [];
    const details = { label: field.label, given: formatValue(type, field.initial, reader()) };
    return [
      {
        level: 'problem',
        field: name,
        problem: problem('default_not_offered', details, name),
        fix: {
          label: say('Remove the default'),
          apply: (plan) => updateField(plan, name, { initial: null }),
        },
      },
    ];
  });
}
