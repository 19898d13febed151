import type { Entry, Row } from '$lib/core/entry/entry';
import type { Cell } from '$lib/core/entry/host-state';
import type { House } from '$lib/core/table/definition';
import type { WiredForm } from '$lib/core/wiring/form';
import type { WiredField, WiredScope } from '$lib/core/wiring/wired';

/** An entry on the screen as its words and its problems read it; who reads follows what was read. */
export interface SeenEntry {
  readonly form: WiredForm;
  readonly tables: House;
  /** The whole of it. */
  readonly entry: Entry;
  readonly root: Row;
  /** How often a person has changed something. */
  readonly edits: number;
  cell(key: string, row?: Row): Readonly<Cell>;
  named(name: string, row?: Row): Readonly<Cell> | undefined;
  rows(grid: string, within?: Row): readonly Row[];
  gridsWithin(grid: string): WiredScope[];
  wired(key: string, row?: Row): WiredField | undefined;
  path(key: string, row?: Row): string;
}
