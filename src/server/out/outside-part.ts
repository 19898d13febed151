import type { ZodType } from 'zod';
import type { HousePart } from '$lib/core/formats/data-package';
import { namedConnectionSchema, querySchema } from '$lib/core/outside/query';
import type { Database } from '../database/connection';
import { keepConnection, listConnections } from '../outside/connections';
import { keepQuery, listQueries } from '../outside/queries';
import type { NotePart } from './coming-in';

/** How outside systems are reached and what is asked of them. Secrets stay here. */
export async function outsidePart(
  db: Database,
): Promise<Pick<HousePart, 'connections' | 'queries'>> {
  const connections = (await listConnections(db)).map(({ key, title, note, reach }) => {
    return { key, title, note, reach };
  });
  const queries = await listQueries(db);
  const order = (a: { key: string }, b: { key: string }) => (a.key < b.key ? -1 : 1);
  return { connections: connections.sort(order), queries: queries.sort(order) };
}

/** Connections and queries whose keys stand for others here. */
export async function outsideClashes(db: Database, part: HousePart): Promise<string[]> {
  const differs = <T extends { key: string; title: string }>(
    there: readonly T[],
    coming: readonly T[],
    schema: ZodType<T>,
  ) =>
    coming
      .filter((one) => {
        const known = there.find(({ key }) => key === one.key);
        return known && JSON.stringify(schema.parse(known)) !== JSON.stringify(one);
      })
      .map(({ title }) => title);
  return [
    ...differs(await listConnections(db), part.connections, namedConnectionSchema.strip()),
    ...differs(await listQueries(db), part.queries, querySchema),
  ];
}

/** Takes connections, without secrets, and queries in. */
export async function takeOutside(
  db: Database,
  part: HousePart,
  { by, note }: { by: string; note: NotePart },
): Promise<void> {
  const there = new Set((await listConnections(db)).map(({ key }) => key));
  const asked = new Set((await listQueries(db)).map(({ key }) => key));
  for (const connection of part.connections.filter(({ key }) => !there.has(key))) {
    await note('connection', connection.key);
    await keepConnection(db, connection, undefined, by, 'take');
  }
  for (const query of part.queries.filter(({ key }) => !asked.has(key))) {
    await note('query', query.key);
    await keepQuery(db, query, by, 'make');
  }
}
