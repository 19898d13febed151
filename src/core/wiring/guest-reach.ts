import { say } from '../words/say';
import { shownPaths } from '../plan/held';
import { tableChoices } from '../plan/choices';
import { shortLabel } from '../table/paths';
import type { WiredForm } from './form';
import { readField, sourceField } from './sources';
import type { WiredMail } from './after';
import { isDerived } from './wired';

/** What somebody who fills a form is told of the house besides the record itself, in words. */
export interface Reach {
  /** `Ensemble: name, town` / `Seats taken, counted from Booking` / `asked of Repair Workshop`. */
  what: string;
  /** Of which records, or under which values: `all of them` / `those that go with Region`. */
  which: string;
}

const typedMail = (): Reach => ({
  what: say('an e-mail to an address that they type'),
  which: say('at each save'),
});

/** Whether an e-mail goes to an address that stands in a field to be filled in. */
function goesWhereTyped(form: WiredForm, { to }: WiredMail): boolean {
  const root = form.scopes.get('');
  const paths = to.flatMap((part) => (typeof part === 'string' ? [] : part.reads));
  return paths.some((path) => {
    const wired = root && readField(form.scopes, root, path)?.wired;
    return wired !== undefined && !isDerived(wired) && wired.type.kind === 'text';
  });
}

/** What the lists, aggregates and queries of a form tell to whoever fills it: for the one who invites a guest. */
export function guestReach(form: WiredForm): Reach[] {
  const { tables } = form;
  const found = [...form.scopes.values()].flatMap(({ list }) =>
    list.flatMap((wired): Reach[] => {
      const { field, columns } = wired;
      const names = wired.narrowedBy.map(
        (name) => sourceField(form.scopes, wired.scope, name)?.field.label ?? name,
      );
      const by = names.length === 0 ? '' : say(`those that go with ${names.join(' and ')}`);
      const choices = tableChoices(field);
      const table = tables.get(choices?.table ?? field.rollup?.table ?? '');
      if (choices && table) {
        const paths = [...new Set([...shownPaths(choices, tables), ...columns.keys()])];
        const labels = paths.map((path) => shortLabel(tables, table, path).toLowerCase());
        const some =
          choices.conditions.length > 0
            ? say('those that meet its conditions')
            : say('all of them');
        return [{ what: `${table.title}: ${labels.join(', ')}`, which: by || some }];
      }
      if (field.rollup && table) {
        const which = by || say('over all of them');
        return [{ what: say(`${field.label}, worked out from ${table.title}`), which }];
      }
      const asked = field.choices?.kind === 'outside' ? field.choices : field.outside;
      const query = asked && tables.queries.get(asked.query);
      return query
        ? [{ what: say(`answers of ${query.title}`), which: by || say('whatever it gives') }]
        : [];
    }),
  );
  found.push(...form.mails.filter((mail) => goesWhereTyped(form, mail)).map(() => typedMail()));
  return [...new Map(found.map((reach) => [`${reach.what} ${reach.which}`, reach])).values()];
}
