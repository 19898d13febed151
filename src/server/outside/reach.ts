import { say } from '$lib/core/words/say';
import { parse } from 'csv-parse/sync';
import { addressFrom } from '$lib/core/outside/template';
import type { Query } from '$lib/core/outside/query';
import type { Scalar } from '$lib/core/values/types';
import { askHttp } from './http';
import { askSql } from './sql';
import type { Reached } from './system';
import { OutsideStatusError } from './told';

/** Asks a query of a system and gives its answer as it came: JSON, or rows. Fails with what went wrong. */
export async function askSystem(
  reached: Reached,
  { text }: Pick<Query, 'text'>,
  values: Readonly<Record<string, Scalar>>,
): Promise<unknown> {
  const { reach, title: system } = reached.connection;
  switch (reach.kind) {
    case 'http': {
      const { status, body } = await askHttp(reach, addressFrom(reach.base, text, values), reached);
      // Nothing there is an answer, not a failure.
      if (status === 404) return [];
      if (status >= 400) throw new OutsideStatusError(system, status);
      return body;
    }
    case 'sql':
      return askSql(reach, text, values, reached);
    case 'file':
      return parse(reach.text, fileRows);
  }
}

/** How a file is read that stands for a system. */
const fileRows = { columns: true, bom: true, relaxColumnCount: true, relaxQuotes: true } as const;

/** Tries whether a system can be reached: its base is asked, or nothing but `1` is selected. */
export async function trySystem(reached: Reached): Promise<string> {
  const { reach } = reached.connection;
  switch (reach.kind) {
    case 'http': {
      // Any answer will do, also one that there is nothing at the base itself.
      const { status } = await askHttp(reach, reach.base, reached, { method: 'GET' }, 'any');
      if (status >= 500) throw new OutsideStatusError(reached.connection.title, status);
      return say(`answers; its base address gives status ${status}`);
    }
    case 'sql':
      await askSql(reach, 'select 1 as n', {}, reached);
      return say('can be signed in to, and answers');
    case 'file': {
      const rows = parse(reach.text, fileRows);
      return say(`holds ${rows.length} rows`);
    }
  }
}
