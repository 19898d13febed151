import { say, spoken } from '$lib/core/words/say';
import type { Connection } from '$lib/core/outside/query';

/** The kinds of connection as people read them. */
export const kindWords: Record<Connection['kind'], string> = spoken(() => ({
  http: say('HTTP service, JSON'),
  sql: say('SQL database'),
  file: say('CSV file'),
}));

/** Where a connection leads to, in a few words. */
export function placeOf(reach: Connection): string {
  switch (reach.kind) {
    case 'http':
      return reach.base;
    case 'sql':
      return say(`${reach.database} at ${reach.host}:${reach.port}, as ${reach.user}`);
    case 'file':
      return say(`${(reach.text.length / 1000).toFixed(1)} kB`);
  }
}
