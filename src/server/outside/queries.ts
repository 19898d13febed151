import { connectionFrom } from './connections';
import { queryProblems, querySchema, type Query } from '$lib/core/outside/query';
import { fail, ProblemError } from '$lib/core/problems';
import type { Database } from '../database/connection';
import { duplicateIndex } from '../database/errors';
import { bumpCatalog } from '../database/structure';
import { parseJson } from '../database/json';

/** All queries by title. */
export async function listQueries(db: Database): Promise<Query[]> {
  const rows = (await queries(db).select('definition')) as { definition: unknown }[];
  return rows
    .map(({ definition }) => querySchema.parse(parseJson(definition)))
    .sort((a, b) => a.title.localeCompare(b.title));
}

/** One query; fails with 404. */
export async function queryFrom(db: Database, key: string): Promise<Query> {
  const row = await queries(db).where({ query_key: key }).first('definition');
  if (!row) return fail('unknown_query', { query: key }, 404);
  return querySchema.parse(parseJson(row.definition));
}

/** Makes a query, or changes it. Fails with everything that is wrong with it. */
export async function keepQuery(
  db: Database,
  query: Query,
  by: string,
  goal: 'make' | 'change',
): Promise<Query> {
  const { reach } = await connectionFrom(db, query.connection);
  const problems = queryProblems(query, reach.kind);
  if (problems.length > 0) throw new ProblemError(problems);
  const kept = {
    connection_key: query.connection,
    definition: JSON.stringify(query),
    changed_by: by,
    changed_at: db.knex.fn.now(),
  };
  if (goal === 'make') {
    try {
      await queries(db).insert({ query_key: query.key, ...kept });
    } catch (error) {
      if (duplicateIndex(error) === null) throw error;
      fail('query_exists', { query: query.key }, 409, 'key');
    }
  } else if ((await queries(db).where({ query_key: query.key }).update(kept)) === 0) {
    fail('unknown_query', { query: query.key }, 404);
  }
  await bumpCatalog(db, db.knex);
  return query;
}

function queries(db: Database) {
  return db.knex('query').withSchema(db.catalog);
}
