import type { System } from '$lib/core/outside/query';
import type { SendMethod } from '$lib/core/outside/sending';
import type { House } from '$lib/core/table/definition';

/** The outside systems that can be told something. */
export function takersOf(tables: House): System[] {
  return [...(tables.systems.values() ?? [])].filter(({ accepts }) => accepts !== null);
}

/** How a system is told something, to begin with. */
export function methodFor(taker: System | undefined): SendMethod {
  return taker?.accepts === 'sql' ? 'SQL' : 'POST';
}
