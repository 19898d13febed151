import { roleSchema } from '$lib/core/access/role';
import { noteEvent } from '$lib/server/access/activity';
import { keeperKey } from '$lib/core/access/role';
import { askerAt, refuseHigher } from '$lib/server/access/let-in';
import { keepRole, removeRole } from '$lib/server/access/roles';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const PUT = answering(async (event: RequestEvent) => {
  refuseHigher(askerAt(event), [keeperKey]);
  const change = await readBody(event.request, roleSchema.omit({ key: true }).strict());
  const db = await readyDatabase();
  const role = await keepRole(db, { ...change, key: event.params.role }, 'change');
  const { shown } = askerAt(event).person;
  await noteEvent(db, { kind: 'role_changed', person: shown, about: role.title });
  return role;
});

export const DELETE = answering(async (event: RequestEvent) => {
  refuseHigher(askerAt(event), [keeperKey]);
  const db = await readyDatabase();
  await removeRole(db, event.params.role);
  const { shown } = askerAt(event).person;
  await noteEvent(db, { kind: 'role_removed', person: shown, about: event.params.role });
  return new Response(null, { status: 204 });
});
