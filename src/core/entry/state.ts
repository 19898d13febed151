import type { Value } from '../values/types';
import type { HostWire, RowState } from './filled';
import type { Cell, HostState } from './host-state';
import type { Life } from './life';

/** A state that goes out: of the form itself with the rows of all its grids. */
export interface EntryState extends HostWire {
  values: Record<string, Value>;
  own: string[];
  link: Record<string, string>;
  based: boolean;
  away: string[];
  rows: Record<string, (RowState & { key: string; values: Record<string, Value> })[]>;
}

/** What somebody has put into the form itself, as a request carries it. */
export function sentPart({ values, own, texts, link }: EntryState) {
  return { values, own, ...(texts ? { texts } : {}), link };
}

/** The state of an entry, whole, or with some of its rows. */
export function stateOf(life: Life, meant: (row: HostState) => boolean = () => true): EntryState {
  const rows = [...life.rows].map(([grid, list]) => [
    grid,
    list.filter(meant).map((row) => ({
      ...hostStateOf(life, row),
      key: row.key,
      ...(row.stored ? { id: row.stored.id } : {}),
      ...(row.scope.within === null ? {} : { of: row.parent?.key ?? '' }),
    })),
  ]);
  return {
    ...hostStateOf(life, life.root),
    link: { ...life.around.link },
    based: life.root.based,
    away: [...life.form.graph.there.keys()].filter((grid) => !life.there(grid).holds),
    rows: Object.fromEntries(rows),
  };
}

function hostStateOf(life: Life, host: HostState) {
  const values: Record<string, Value> = {};
  const own: string[] = [];
  const hidden: string[] = [];
  const changed: string[] = [];
  const came: string[] = [];
  const unsure: string[] = [];
  const brought: Record<string, Value> = {};
  const unconfirmed: string[] = [];
  const under: Record<string, string> = {};
  const texts: Record<string, string> = {};
  for (const cell of host.cells) {
    const { key: name } = cell.wired.field;
    values[name] = cell.value;
    if (cell.own) own.push(name);
    if (cell.unsure) unsure.push(name);
    if (cell.unsure && cell.broughtFor !== undefined) brought[name] = cell.broughtFor;
    if (cell.hidden) hidden.push(name);
    if (host.based && cell.isChanged()) changed.push(name);
    if (cell.asGiven && cell.value !== null && hasChoices(cell)) came.push(name);
    if (cell.unconfirmed) unconfirmed.push(name);
    if (cell.asGiven && cell.narrowedTo !== null && !life.isSure(cell))
      under[name] = cell.narrowedTo;
    const text = pendingText(cell);
    if (text !== null) texts[name] = text;
  }
  const some = <T extends object>(name: string, part: T) =>
    Object.keys(part).length > 0 ? { [name]: part } : {};
  return {
    ...{ values, own },
    ...some('texts', texts),
    ...some('unconfirmed', unconfirmed),
    ...some('under', under),
    ...some('unsure', unsure),
    ...some('brought', brought),
    ...some('hidden', hidden),
    ...some('changed', changed),
    ...some('came', came),
  };
}

/** What stands in a field and is no value: it could not be read, or is being looked up. */
export function pendingText(cell: Cell): string | null {
  return cell.derived ? null : (cell.rejected?.text ?? cell.keyText);
}

function hasChoices({ wired }: Cell): boolean {
  return wired.sources.list !== null;
}
