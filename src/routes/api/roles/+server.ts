import { json } from '@sveltejs/kit';
import { roleSchema } from '$lib/core/access/role';
import { noteEvent } from '$lib/server/access/activity';
import { keeperKey } from '$lib/core/access/role';
import { askerAt, refuseHigher } from '$lib/server/access/let-in';
import { keepRole, readRoles } from '$lib/server/access/roles';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => {
  const db = await readyDatabase();
  return [...(await readRoles(db, db.knex)).values()];
});

export const POST = answering(async (event) => {
  refuseHigher(askerAt(event), [keeperKey]);
  const role = await readBody(event.request, roleSchema.strict());
  const db = await readyDatabase();
  const made = await keepRole(db, role, 'make');
  const { shown } = askerAt(event).person;
  await noteEvent(db, { kind: 'role_made', person: shown, about: role.title });
  return json(made, { status: 201 });
});
