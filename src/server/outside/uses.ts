import { say } from '$lib/core/words/say';
import { formsNaming, type Named } from '../catalog/plan-uses';
import { connectionFrom } from './connections';
import { listQueries, queryFrom } from './queries';
import { bumpCatalog } from '../database/structure';
import { fail } from '$lib/core/problems';
import { type Plan } from '$lib/core/plan/schema';
import { scopesOf } from '$lib/core/plan/scopes';
import type { Database } from '../database/connection';

/** Where something outside is used: a form in words, and its page. */
export interface OutsideUse {
  where: string;
  href: string;
}

/** The forms that ask a query, in draft or newest edition, with the fields that do. */
export function queryUses(db: Database, key: string): Promise<OutsideUse[]> {
  return formsWith(db, { kind: 'query', name: key }, (plan) => asking(plan, key));
}

/** The forms that tell a system something, in draft or newest edition. */
export function tellingForms(db: Database, key: string): Promise<OutsideUse[]> {
  return formsWith(db, { kind: 'system', name: key }, (plan) => telling(plan, key));
}

async function formsWith(
  db: Database,
  named: Named,
  partsOf: (plan: Plan) => string[],
): Promise<OutsideUse[]> {
  const naming = await formsNaming(db, named);
  return naming.flatMap(({ form: { key, title }, plans }) => {
    const parts = [...new Set(plans.flatMap(({ plan }) => partsOf(plan)))];
    if (parts.length === 0) return [];
    return [{ where: `${title} (${parts.join(', ')})`, href: `/forms/${key}/design` }];
  });
}

/** What of a plan tells a system something: its saves, and buttons. */
function telling({ sends = [], buttons = [] }: Plan, system: string): string[] {
  const saves = sends.some(({ connection }) => connection === system) ? ['saves'] : [];
  const pressed = buttons.filter(({ steps }) =>
    steps.some((step) => step.do === 'tell' && step.connection === system),
  );
  return [...saves, ...pressed.map(({ label }) => label)];
}

/** Where a plan asks a query: the labels of its fields, and that it passes through. */
function asking(plan: Plan, query: string): string[] {
  const whole = plan.through?.query === query ? [say('passes through')] : [];
  const parts = scopesOf(plan).flatMap(({ fields }) =>
    fields
      .filter(
        ({ choices, outside }) =>
          outside?.query === query || (choices?.kind === 'outside' && choices.query === query),
      )
      .map(({ label }) => label),
  );
  return [...whole, ...parts];
}

/** Removes a connection that no query uses, and that no form tells anything. */
export async function removeConnection(db: Database, key: string): Promise<void> {
  const { title } = await connectionFrom(db, key);
  const queries = (await listQueries(db)).filter((query) => query.connection === key);
  const forms = await tellingForms(db, key);
  const users = [...queries.map((query) => query.title), ...forms.map(({ where }) => where)];
  if (users.length > 0) {
    fail('connection_in_use', { connection: title, users: users.join(', ') }, 409);
  }
  await db.knex('connection').withSchema(db.catalog).where({ connection_key: key }).delete();
  await bumpCatalog(db, db.knex);
}

/** Removes a query that no form uses. */
export async function removeQuery(db: Database, key: string): Promise<void> {
  const { title } = await queryFrom(db, key);
  const users = (await queryUses(db, key)).map((use) => use.where);
  if (users.length > 0) fail('query_in_use', { query: title, users: users.join(', ') }, 409);
  await db.knex('query').withSchema(db.catalog).where({ query_key: key }).delete();
  await bumpCatalog(db, db.knex);
}
