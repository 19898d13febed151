import type { Entry } from '$lib/core/entry/entry';
import { sentPart } from '$lib/core/entry/state';
import type { StoredRecord } from '$lib/core/entry/stored';
import type { AskedHashes } from '$lib/core/plan/asked-sheet';

/** Under what an entry is saved. */
export interface SavedUnder {
  submission: string;
  edition: number;
  asked?: AskedHashes;
}

/** What the server is sent to save an entry: its state, with the versions of all stored records that it holds. */
export function saveRequest(
  entry: Entry,
  under: SavedUnder,
  stored: StoredRecord | null,
): Record<string, unknown> {
  const state = entry.state();
  const grids = Object.entries(state.rows).map(([grid, list]) => {
    const rows = entry.rowsOf(grid);
    const kept = list.map(({ key, id, of, values, own, texts }) => {
      const version = rows.get(key)?.stored?.version;
      return { ...(id === undefined ? { key } : { id, version }), of, values, own, texts };
    });
    const removed = entry.removed(grid).flatMap(({ stored }) => {
      return stored ? [{ id: stored.id, version: stored.version, removed: true, values: {} }] : [];
    });
    return [grid, [...kept, ...removed]];
  });
  return {
    ...under,
    ...sentPart(state),
    rows: Object.fromEntries(grids),
    ...(stored ? { record: { id: stored.id, version: stored.version } } : {}),
  };
}
