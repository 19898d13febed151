import { placesIn } from '$lib/core/outside/template';
import type { SendMethod } from '$lib/core/outside/sending';
import type { Send } from '$lib/core/plan/schema';

/** An outside system that can be told something. */
export interface Taker {
  key: string;
  title: string;
  kind: 'http' | 'sql';
}

/** The names in an address or a statement that want a formula; `{once}` has its value by itself. */
export function wantedNames({ method, address }: Pick<Send, 'method' | 'address'>): string[] {
  return placesIn(address).filter((name) => method !== 'SQL' || name !== 'once');
}

/** How a system is told something, to begin with. */
export function methodFor(taker: Taker | undefined): SendMethod {
  return taker?.kind === 'sql' ? 'SQL' : 'POST';
}
