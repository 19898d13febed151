import { toFeel } from '../formula/convert';
import type { Feel } from '../formula/feel';
import type { EntryHost } from '../plan/formulas';
import type { WiredScope } from '../wiring/form';
import { Cell } from './cell';
import { RecordLink, SavedRecord } from './facts';
import type { Life } from './life';
import type { StoredRecord } from './stored';

/** The cells of the form itself, or of one row of a grid. */
export class HostState implements EntryHost {
  readonly cells: readonly Cell[];
  /** The record that it goes on with; `null` for a new one. */
  stored: StoredRecord | null = null;
  /** Whether it began with what a record holds: then nothing changes that follows from no change. */
  based = false;

  constructor(
    readonly life: Life,
    readonly scope: WiredScope,
    /** The row's key; `''` for the form itself. */
    readonly key: string,
    readonly parent: HostState | null,
  ) {
    this.cells = scope.list.map((wired) => new Cell(wired, this));
  }

  get person(): string {
    return this.life.around.person;
  }

  get identity(): string {
    return `${this.scope.key}[${this.key}]`;
  }

  /** The cell of a field; throws for a key that is no field. */
  cell(key: string): Cell {
    const wired = this.scope.fields.get(key);
    const cell = wired && this.cells[wired.index];
    if (!cell) throw new RangeError(`no field ${key}`);
    return cell;
  }

  feelAt(index: number): Feel {
    const cell = this.cells[index];
    if (!cell) return null;
    const { life } = this;
    if (cell.waits) life.met = true;
    if (life.watching && !life.sawChange && cell.isChanged()) life.sawChange = true;
    return cell.feel();
  }

  /** The rows of a grid as formulas read them: none while it is not there. */
  rowsOf(grid: string): readonly HostState[] {
    const { life } = this;
    const { holds, unsure, changed } = life.there(grid);
    if (unsure) life.met = true;
    if (life.watching && (changed || (holds && life.rowsChanged(grid, this)))) {
      life.sawChange = true;
    }
    return holds ? life.rowsIn(grid, this) : [];
  }

  /** Whether this is the other, or stands in it. */
  standsIn(other: HostState): boolean {
    return this === other || (this.parent?.standsIn(other) ?? false);
  }

  shared(token: object, reads: readonly (readonly string[])[], work: () => Feel): Feel {
    return this.parent ? this.life.shared(this, token, reads, work) : work();
  }

  linkValue(name: string): string | null {
    return this.life.around.link[name] ?? null;
  }

  /** The record that this is saved to. */
  savedRecord(): Feel {
    return new SavedRecord(this.scope.table, this);
  }

  /** What a field held in the record as it was opened; absent in a new one. */
  storedFeel(key: string): Feel {
    const wired = this.scope.fields.get(key);
    const column = wired?.field.savesTo ?? null;
    const value = column === null ? null : (this.stored?.values[column] ?? null);
    if (!wired || value === null) return null;
    if (wired.type.kind === 'reference') return new RecordLink(wired.type.table, value as number);
    return toFeel(wired.type, value);
  }

  members(): string[] {
    return [...this.scope.fields.keys()];
  }

  /** A field by its key, the rows of a grid that stands in it, or what is around it. */
  member(key: string): Feel {
    const wired = this.scope.fields.get(key);
    if (wired) return this.feelAt(wired.index);
    if (key === 'parent') return this.parent;
    return this.life.form.scopes.has(key) ? this.rowsOf(key) : null;
  }
}
