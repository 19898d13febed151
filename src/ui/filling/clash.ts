import type { Comparison } from '$lib/core/entry/merge';
import type { OpenedRecord } from '$lib/core/entry/stored';

/** A column, or a whole row, that another person has changed, with who did and when. */
export interface ToldChange {
  table: string;
  id: number;
  column: string | null;
  by: string;
  at: string | null;
}

/** Another person has saved the same record meanwhile. */
export interface Clash extends Comparison {
  now: OpenedRecord;
  told: readonly ToldChange[];
  /** Records in one line each, by table and id. */
  shown: Readonly<Record<string, string>>;
}

/** Whether two readings of a record are of the same versions. */
export function sameState(a: OpenedRecord, b: OpenedRecord): boolean {
  const versions = ({ stored, rows }: OpenedRecord) =>
    JSON.stringify([
      stored.version,
      ...Object.values(rows).map((list) => list.map((r) => [r.stored.id, r.stored.version])),
    ]);
  return versions(a) === versions(b);
}
