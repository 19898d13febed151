import type { Value } from '$lib/core/values/types';

/** What was typed into a new record of a table and neither added nor given up: it stands there when one comes back. */
export interface RecordDraft {
  values: Record<string, Value>;
  shown: Record<string, string>;
}

/** By the table and what the record began with; they live as long as the page does. */
export const recordDrafts = new Map<string, RecordDraft>();
