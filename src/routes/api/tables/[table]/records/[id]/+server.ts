import { recordChangeRequest } from '$lib/core/contract/requests';
import { z } from 'zod';
import { tableFrom } from '$lib/server/catalog/tables';
import { readRecord } from '$lib/server/records/read';
import { changeRecord, deleteRecord } from '$lib/server/records/write';
import { answering, parsed, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const version = z.coerce.number().int().min(1);

/** The record that the address names, with all that is needed to act on it. */
async function addressed({ params, locals }: RequestEvent) {
  const db = await readyDatabase();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  return { db, tables, table, id: recordId(params.id, table.title) };
}

export const GET = answering(async (event: RequestEvent) => {
  const { db, tables, table, id } = await addressed(event);
  return readRecord(db, db.knex, tables, table, id);
});

export const PATCH = answering(async (event: RequestEvent) => {
  const change = await readBody(event.request, recordChangeRequest);
  const { db, tables, table, id } = await addressed(event);
  const { name } = event.locals.person;
  return changeRecord(db, tables, table, id, change.version, change.values, name);
});

export const DELETE = answering(async (event: RequestEvent) => {
  const at = parsed(version, event.url.searchParams.get('version'));
  const { db, tables, table, id } = await addressed(event);
  const by = event.locals.person.name;
  return { submission: await deleteRecord(db, tables, table, id, at, by) };
});
