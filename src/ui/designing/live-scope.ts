import type { Row } from '$lib/core/entry/entry';
import type { Clock } from '$lib/core/formula/frame';
import type { Names } from '$lib/core/formula/scope';
import type { EntryHost } from '$lib/core/plan/formulas';
import type { EntrySession } from '$lib/ui/filling/session.svelte';
import { saidNames, type SaidName } from './said-names';

/** What formulas are designed with: the names they may use, and what stands in the form now. */
export interface LiveScope {
  names: Names<EntryHost>;
  /** The same as a designer calls them, for conditions that are put together. */
  said: readonly SaidName[];
  /** The form, or the first row of a grid; `null` while it has none. */
  readonly host: EntryHost | null;
  readonly clock: Clock;
}

/** What formulas of the form, or of the rows of a grid, are designed with. */
export function liveScope(session: EntrySession, scope: string): LiveScope {
  const { form, tables } = session;
  const host = (): Row | null =>
    scope === '' ? session.entry.root : (session.entry.rows(scope)[0] ?? null);
  return {
    names: form.names.get(scope) ?? { find: () => null, all: () => [] },
    said: saidNames(form, tables, scope),
    get host() {
      return host();
    },
    get clock() {
      return session.entry.clock;
    },
  };
}
