import type { May } from '$lib/core/contract/people';
import type { House } from '$lib/core/table/definition';
import { formActs, places, tableActs } from '$lib/core/access/role';
import { say } from '$lib/core/words/say';
import type { CatalogForm } from '../catalog/forms';
import type { Asker } from './sessions';

/** What somebody may do, as their pages are told. */
export function mayOf({ rights }: Asker, tables: House, forms: readonly CatalogForm[]): May {
  return {
    places: places.filter((place) => rights.place(place)),
    tables: told([...tables.keys()], (key) => tableActs.filter((deed) => rights.table(key, deed))),
    forms: told(
      forms.map(({ key }) => key),
      (key) => formActs.filter((deed) => rights.form(key, deed)),
    ),
  };
}

/** What most of many things have in common, and the others: short, however many there are. */
function told<D extends string>(
  keys: readonly string[],
  deedsOf: (key: string) => D[],
): { most: D[]; others: Record<string, D[]> } {
  const all = keys.map((key): [string, D[]] => [key, deedsOf(key)]);
  const counts = new Map<string, { deeds: D[]; n: number }>();
  for (const [, deeds] of all) {
    const name = deeds.join();
    counts.set(name, { deeds, n: (counts.get(name)?.n ?? 0) + 1 });
  }
  const [first] = [...counts.values()].sort((a, b) => b.n - a.n);
  const most = first?.deeds ?? [];
  const others = all.filter(([, deeds]) => deeds.join() !== most.join());
  return { most, others: Object.fromEntries(others) };
}

/** Something that one can go to by name. */
export interface GoingTo {
  label: string;
  kind: string;
  href: string;
}

/** The forms, lists and tables that somebody can go to. */
export function placesOf(
  { rights }: Asker,
  tables: House,
  forms: readonly CatalogForm[],
): GoingTo[] {
  const drafts = rights.place('forms');
  return [
    ...forms.flatMap(({ key, title, edition }) => [
      ...(edition > 0 && rights.form(key, 'fill')
        ? [{ label: title, kind: say('fill in'), href: `/forms/${key}` }]
        : []),
      ...(rights.form(key, 'design')
        ? [{ label: title, kind: say('design'), href: `/forms/${key}/design` }]
        : []),
    ]),
    ...[...tables.lists.values()].map(({ key, title }) => ({
      label: title,
      kind: say('list'),
      href: `/lists/${key}`,
    })),
    ...[...tables.values()].flatMap(({ key, title }) => [
      { label: title, kind: say('table'), href: `/tables/${key}` },
      ...(drafts
        ? [
            {
              label: say(`Draft a form on ${title}`),
              kind: say('new form'),
              href: `/tables/${key}?draft`,
            },
          ]
        : []),
    ]),
  ];
}
