import type { Connection } from '$lib/core/outside/query';

/** The kinds of connection as people read them. */
export const kindWords: Record<Connection['kind'], string> = {
  http: 'HTTP service, JSON',
  sql: 'SQL database',
  file: 'CSV file',
};

/** Where a connection leads to, in a few words. */
export function placeOf(reach: Connection): string {
  switch (reach.kind) {
    case 'http':
      return reach.base;
    case 'sql':
      return `${reach.database} at ${reach.host}:${reach.port}, as ${reach.user}`;
    case 'file':
      return `${(reach.text.length / 1000).toFixed(1)} kB`;
  }
}
