import { eventKinds } from '$lib/core/access/event';
import { listEvents } from '$lib/server/access/activity';
import { listInvitations } from '$lib/server/access/invitations';
import { askerAt } from '$lib/server/access/let-in';
import { listSaves } from '$lib/server/records/saves';
import { withRecordNames } from '$lib/server/records/read';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = async ({ url, locals }) => {
  const { rights } = askerAt({ locals });
  const db = await locals.reads();
  const named = url.searchParams;
  const before = pageOf(named.get('before'));
  const people = rights.place('activity');
  const of = people && named.get('of') === 'people' ? 'people' : 'saves';
  const tables = await locals.house();
  const forms = await locals.forms();
  const kind = eventKinds.find((known) => known === named.get('kind'));
  const person = named.get('person')?.slice(0, 100) ?? '';
  const since = /^\d{4}-\d{2}-\d{2}$/.exec(named.get('since') ?? '')?.[0];
  const saves = of === 'saves' ? await listSaves(db, tables, { limit: pageSize, before }) : [];
  const events =
    of === 'people' ? await listEvents(db, { limit: pageSize, before, kind, person, since }) : [];
  const last = saves.at(pageSize - 1)?.id ?? events.at(pageSize - 1)?.id;
  const guests = of === 'saves' && !before && rights.place('invite');
  return {
    ...{ of, people, saves, events, kind: kind ?? '', person, since: since ?? '' },
    tables: [...tables.values()].map(({ key, title }) => ({ key, title })),
    forms: forms.map(({ key, title }) => ({ key, title })),
    invitations: guests ? await withRecordNames(db, tables, forms, await listInvitations(db)) : [],
    next: last,
  };
};

/** The number of the row before which a page begins; none where that is no number of a row. */
function pageOf(text: string | null): number | undefined {
  const before = Number(text);
  return Number.isSafeInteger(before) && before > 0 ? before : undefined;
}
