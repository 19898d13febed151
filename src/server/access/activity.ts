import { z } from 'zod';
import { eventKinds, type AccessEvent, type EventKind } from '$lib/core/access/event';
import type { Database, Runner } from '../database/connection';
import { moment } from './accounts';

/** Notes what somebody did. */
export async function noteEvent(
  db: Database,
  event: { kind: EventKind; person: string; about?: string; address?: string },
  runner: Runner = db.knex,
): Promise<void> {
  const { kind, person, about = '', address = '' } = event;
  await runner('access_event')
    .withSchema(db.catalog)
    .insert({
      ...{ kind, person: person.slice(0, 100) },
      about: about.slice(0, 300),
      address: address.slice(0, 60),
    });
}

const rowSchema = z.object({
  id: z.coerce.number(),
  at: z.string(),
  kind: z.enum(eventKinds),
  person: z.string(),
  about: z.string(),
  address: z.string(),
});

/** What was noted, the newest first, as far as it is of a kind, by a person, since a day. */
export async function listEvents(
  db: Database,
  wish: { limit: number; before?: number; kind?: EventKind; person?: string; since?: string },
): Promise<AccessEvent[]> {
  const { limit, before, kind, person, since } = wish;
  const query = db.knex('access_event').withSchema(db.catalog).orderBy('id', 'desc').limit(limit);
  if (before !== undefined) void query.where('id', '<', before);
  if (kind !== undefined) void query.where({ kind });
  if (person !== undefined && person !== '') void query.where({ person });
  if (since !== undefined) void query.where('at', '>=', since);
  const rows: unknown[] = await query;
  return rows.map((row) => {
    const event = rowSchema.parse(row);
    return { ...event, at: moment(event.at) ?? '' };
  });
}
