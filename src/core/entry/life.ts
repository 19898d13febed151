import type { Feel } from '../formula/feel';
import { evaluate } from '../formula/formula';
import { Budget } from '../formula/frame';
import type { Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import type { WiredField, WiredScope } from '../wiring/wired';
import {
  scopeOfNode,
  type Aspect,
  type FieldNode,
  type Flow,
  type GraphNode,
  type GridNode,
} from '../wiring/graph';
import { gridRead, readField, sourceField } from '../wiring/sources';
import type { AskKind, StandingAsk } from './asks';
import type { Around } from './around';
import { HostState, type Cell, type There } from './host-state';
import { longestTrace, type TraceEvent } from './trace';

/** The field whose change led to something; `null` while the entry begins. */
export type Cause = string | null;

/** Works one thing of a field out, for the form or for a row. */
export type Work = (life: Life, cell: Cell, node: FieldNode, cause: Cause) => void;

/** Where a node is to be worked out: in some hosts, or in all rows of its grid. */
interface Marked {
  hosts: Map<HostState, Cause>;
  whole: { cause: Cause } | null;
}

/** What a part of a formula gave, and what it met. */
interface Shared {
  stamp: number;
  watching: boolean;
  value: Feel;
  met: boolean;
  sawChange: boolean;
}

/** What has been touched since it was last looked at: cells, and whether rows came, went or moved, or a grid did. */
export interface Woken {
  cells: Set<Cell>;
  rows: boolean;
}

const always: There = { holds: true, unsure: false, changed: false };

/** What the parts of an entry share: its cells, what is to be worked out again, what is asked. */
export class Life {
  readonly root: HostState;
  readonly rows = new Map<string, HostState[]>();
  /** Rows of stored records that were taken out, as they were then. */
  removed: HostState[] = [];
  readonly trace: TraceEvent[] = [];
  /** What is asked and not answered, by its name. */
  readonly open = new Map<string, { ask: StandingAsk; cell: Cell }>();
  /** Whether the formula being worked out met something that is still being read. */
  met = false;
  /** Whether it is looked at whether a formula reads something that is another than in the record. */
  watching = false;
  /** Whether the formula being worked out read such a thing. */
  sawChange = false;
  /** What formulas may still cost that follow from the change being worked out. */
  budget = new Budget();
  /** Whether the entry is only beginning. */
  opening = false;
  /** Whether a single remaining choice is taken. */
  takesOnly = false;
  /** Whether the entry is at rest but for what is asked of it: columns of records are read when needed. */
  resting = false;
  #woken: Woken = { cells: new Set(), rows: false };
  readonly #there = new Map<string, There>();
  /** Rows of grids that stand in other grids, by the row around them; made anew when they change. */
  readonly #inner = new Map<
    string,
    {
      rows: readonly HostState[];
      size: number;
      groups: ReadonlyMap<HostState | null, HostState[]>;
    }
  >();
  /** Places of rows, by the list that they stand in; a list is made anew when rows change their places. */
  readonly #places = new WeakMap<readonly HostState[], Map<HostState, number>>();
  readonly #queue: (Marked | undefined)[] = [];
  readonly #rowsMoved = new Map<string, Set<HostState>>();
  /** When a field, or the rows of a grid, last became others; counted up. */
  readonly #stamps = new Map<WiredField | string, number>();
  #stamped = 0;
  readonly #shared = new WeakMap<object, Map<HostState, Shared>>();
  readonly #sources = new WeakMap<object, (WiredField | string)[]>();
  #lowest = Infinity;
  readonly #work: Work;

  constructor(
    readonly form: WiredForm,
    readonly around: Around,
    work: Work,
  ) {
    this.#work = work;
    for (const key of form.scopes.keys()) if (key !== '') this.rows.set(key, []);
    this.root = new HostState(this, this.scope(''), '', null);
    for (const grid of form.graph.there.keys()) {
      this.#there.set(grid, { holds: false, unsure: true, changed: true });
    }
  }

  scope(key: string): WiredScope {
    const scope = this.form.scopes.get(key);
    if (!scope) throw new RangeError(`no grid ${key}`);
    return scope;
  }

  /** Notes that anything that is known of a cell may have become another. */
  wake(cell: Cell): void {
    this.#woken.cells.add(cell);
  }

  wakeRows(): void {
    this.#woken.rows = true;
  }

  takeWoken(): Woken {
    const woken = this.#woken;
    this.#woken = { cells: new Set(), rows: false };
    return woken;
  }

  /** Whether a grid is there: always, but for one that has a condition, or stands in one that is not. */
  there(grid: string): There {
    return this.#there.get(grid) ?? always;
  }

  /** Notes whether a grid is there; gives whether that is another than before. */
  noteThere(grid: string, there: There): boolean {
    const before = this.there(grid);
    this.stampRows(grid);
    this.#there.set(grid, there);
    const turned =
      before.holds !== there.holds ||
      before.unsure !== there.unsure ||
      before.changed !== there.changed;
    if (turned) this.wakeRows();
    return turned;
  }

  /** Notes that rows came or went in a host; what follows is worked out once, however many there are. */
  rowsMoved(grid: string, host: HostState): void {
    this.stampRows(grid);
    this.wakeRows();
    const hosts = this.#rowsMoved.get(grid) ?? new Set();
    this.#rowsMoved.set(grid, hosts.add(host));
  }

  /** Notes that the rows of a grid are others. */
  stampRows(grid: string): void {
    this.#stamps.set(grid, ++this.#stamped);
  }

  /** What a part of a formula gives for all rows of the host around a row, as long as nothing changes that it reads. */
  shared(
    row: HostState,
    token: object,
    reads: readonly (readonly string[])[],
    work: () => Feel,
  ): Feel {
    const around = row.parent;
    if (!around) return work();
    const known = this.#shared.get(token) ?? new Map<HostState, Shared>();
    this.#shared.set(token, known);
    const { watching } = this;
    const stamp = this.#latest(row.scope, token, reads);
    let found = known.get(around);
    if (found?.stamp !== stamp || found.watching !== watching) {
      const [met, saw] = [this.met, this.sawChange];
      this.met = false;
      this.sawChange = false;
      const value = work();
      found = { stamp, watching, value, met: this.met, sawChange: this.sawChange };
      known.set(around, found);
      this.met = met;
      this.sawChange = saw;
    }
    this.met ||= found.met;
    this.sawChange ||= found.sawChange;
    return found.value;
  }

  /** When anything last changed that a part of a formula reads. */
  #latest(scope: WiredScope, token: object, reads: readonly (readonly string[])[]): number {
    const { scopes } = this.form;
    let sources = this.#sources.get(token);
    if (!sources) {
      sources = reads.flatMap((path): (WiredField | string)[] => {
        const [field, grid] = [readField(scopes, scope, path), gridRead(scopes, scope, path)];
        return [...(field ? [field.wired] : []), ...(grid === null ? [] : [grid])];
      });
      this.#sources.set(token, sources);
    }
    return sources.reduce((last, source) => Math.max(last, this.#stamps.get(source) ?? 0), 0);
  }

  /** Whether rows were added to a grid, or taken out of it, since the record was opened. */
  rowsChanged(grid: string, host: HostState): boolean {
    return (
      this.rowsIn(grid, host).some((row) => !row.based) ||
      this.removed.some((row) => row.scope.key === grid && row.parent === host)
    );
  }

  /** The rows of a grid that stand in a host: in the form itself, or in a row of the grid around it. */
  rowsIn(grid: string, host: HostState): readonly HostState[] {
    const rows = this.rows.get(grid) ?? [];
    if (this.form.scopes.get(grid)?.within == null) return rows;
    let known = this.#inner.get(grid);
    if (known?.rows !== rows || known.size !== rows.length) {
      const groups = new Map<HostState | null, HostState[]>();
      for (const row of rows) {
        const group = groups.get(row.parent);
        if (group) group.push(row);
        else groups.set(row.parent, [row]);
      }
      known = { rows, size: rows.length, groups };
      this.#inner.set(grid, known);
    }
    return known.groups.get(host) ?? [];
  }

  /** The place of a row among all rows of its grid. */
  place(row: HostState): number {
    const rows = this.rows.get(row.scope.key) ?? [];
    let known = this.#places.get(rows);
    if (known?.size !== rows.length || !known.has(row)) {
      known = new Map(rows.map((each, i) => [each, i]));
      this.#places.set(rows, known);
    }
    return known.get(row) ?? -1;
  }

  /** A new row at the end of a grid, with nothing in it yet. */
  newRow(grid: string, key: string, parent: HostState): HostState {
    const rows = this.rows.get(grid);
    if (!rows) throw new RangeError(`no grid ${grid}`);
    const row = new HostState(this, this.scope(grid), key, parent);
    rows.push(row);
    return row;
  }

  /** The form and all rows. */
  *hosts(): Iterable<HostState> {
    yield this.root;
    for (const rows of this.rows.values()) yield* rows;
  }

  *cells(): Iterable<Cell> {
    for (const host of this.hosts()) yield* host.cells;
  }

  /** Has everything of a host worked out, or one aspect of it. */
  markAll(host: HostState, cause: Cause, only?: Aspect): void {
    for (const node of this.form.graph.nodes) {
      if (scopeOfNode(node) !== host.scope.key || (only && node.aspect !== only)) continue;
      this.#mark(node, host, cause);
    }
  }

  /** Has everything worked out that follows from an aspect of a cell. */
  feed(cell: Cell, aspect: Aspect, cause: Cause): void {
    this.#stamps.set(cell.wired, ++this.#stamped);
    const node = this.form.graph.of(cell.wired, aspect);
    if (node) this.flow(node.feeds, cell.host, cause);
  }

  /** Has one thing of a cell worked out. */
  mark(cell: Cell, aspect: Aspect, cause: Cause): void {
    const node = this.form.graph.of(cell.wired, aspect);
    if (node) this.#mark(node, cell.host, cause);
  }

  /** Has the targets of flows worked out, seen from a host. */
  flow(flows: readonly Flow[], from: HostState, cause: Cause): void {
    for (const { to, reach, kind } of flows) {
      // That a list is read again clears a value where it must, and then at once.
      if (kind === 'offers') continue;
      if (reach === 'same') this.#mark(to, from, cause);
      else if (reach === 'up') this.#mark(to, outTo(from, scopeOfNode(to)), cause);
      else if (reach === 'across' || from === this.root) this.#markWhole(to, cause);
      else {
        for (const row of this.rows.get(scopeOfNode(to)) ?? []) {
          if (row.standsIn(from)) this.#mark(to, row, cause);
        }
      }
    }
  }

  /** Works out what is marked, each node after all it follows from, until nothing is left. */
  run(): void {
    for (const [grid, hosts] of this.#rowsMoved) {
      const flows = this.form.graph.rowFlows.get(grid) ?? [];
      for (const host of hosts) this.flow(flows, host, grid);
    }
    this.#rowsMoved.clear();
    while (this.#lowest < this.#queue.length) {
      const order = this.#lowest;
      const marked = this.#queue[order];
      const node = this.form.graph.nodes[order];
      this.#queue[order] = undefined;
      this.#lowest = order + 1;
      if (!marked || !node) continue;
      for (const [host, cause] of this.#meant(node, marked)) {
        if (node.aspect === 'there') {
          settleThere(this, node, cause);
          continue;
        }
        const cell = host.cells[node.wired.index];
        if (!cell) continue;
        this.wake(cell);
        this.#work(this, cell, node, cause);
      }
    }
    this.#lowest = Infinity;
    this.#queue.length = 0;
    this.budget = new Budget();
  }

  /** Asks, unless just this was asked or answered already; true where the question is open now. */
  ask(
    cell: Cell,
    kind: AskKind,
    given: Record<string, Value>,
    current: Value,
    cause: Cause,
  ): boolean {
    const question = cell.question(kind);
    const { scope, field } = cell.wired;
    const row = scope === '' ? null : cell.host.key;
    const place = row === null ? field.key : `${scope}[${row}].${field.key}`;
    const id = `${kind} ${place}:${JSON.stringify([given, current])}`;
    if (question.asked === id) return true;
    if (question.answeredFor === id && question.failed === null) return false;
    this.drop(cell, kind);
    this.wake(cell);
    Object.assign(question, { asked: id, answeredFor: null, failed: null, cause });
    const ask = { id, kind, field: field.key, grid: scope, row, given, current, cause };
    this.open.set(id, { ask, cell });
    return true;
  }

  /** Takes a question back. */
  drop(cell: Cell, kind: AskKind): void {
    const question = cell.questions.get(kind);
    if (!question) return;
    if (question.asked !== null) this.open.delete(question.asked);
    this.wake(cell);
    question.asked = null;
    question.failed = null;
  }

  /** A formula has read a column of a record that is not known yet. */
  miss(cell: Cell): void {
    this.met = true;
    if (cell.question('record').failed === null) {
      this.askColumns(cell, cell.question('record').cause);
    }
  }

  /** Asks for the columns of what a cell has chosen: a record by itself, a row of a query under what that is given. */
  askColumns(cell: Cell, cause: Cause): void {
    const awaits = cell.wired.sources.record?.awaits ?? [];
    const given = awaits.length > 0 ? this.given(cell) : {};
    if (given === null) this.drop(cell, 'record');
    else this.ask(cell, 'record', given, cell.value, cause);
  }

  /** Values of the fields that narrow a cell, as its narrowings name them; `null` while one is not sure. */
  given(cell: Cell): Record<string, Value> | null {
    return this.isSure(cell) ? this.givenNow(cell) : null;
  }

  /** The same as they are at this moment, sure or not. */
  givenNow(cell: Cell): Record<string, Value> {
    const given: Record<string, Value> = {};
    for (const name of cell.wired.narrowedBy) {
      const source = this.source(cell, name);
      if (source) given[name] = source.value;
    }
    return given;
  }

  /** Whether the fields that narrow a cell are known. */
  isSure(cell: Cell): boolean {
    return cell.wired.narrowedBy.every((name) => this.source(cell, name)?.waits !== true);
  }

  /** Whether a field that narrows a cell is another than in the record, or whether it is shown. */
  isAskedAnew(cell: Readonly<Cell>): boolean {
    if (cell.hiddenChanged) return true;
    return cell.wired.narrowedBy.some((name) => this.source(cell, name)?.isChanged() === true);
  }

  /** The cell that a narrowing names, seen from another. */
  source(cell: Readonly<Cell>, name: string): Cell | undefined {
    const wired = sourceField(this.form.scopes, cell.wired.scope, name);
    return wired && outTo(cell.host, wired.scope).cells[wired.index];
  }

  /** Tells what happened to a cell. While the entry begins, its rows are not told one by one. */
  note(cell: Cell, event: Omit<TraceEvent, 'field' | 'row'>): void {
    const row = cell.host.key || null;
    if (row !== null && event.cause === null && event.kind !== 'set') return;
    this.trace.push(Object.assign(event, { field: cell.name, row }));
    // Cut now and then: taking one off the front each time would move all others.
    if (this.trace.length > longestTrace * 2) this.trace.splice(0, longestTrace);
  }

  #mark(node: GraphNode, host: HostState, cause: Cause): void {
    const { hosts } = this.#queued(node);
    // What a person has changed wins over what comes from the beginning.
    if (!hosts.has(host) || cause !== null) hosts.set(host, cause);
  }

  /** Has a node worked out in all rows of its grid, however often that is said. */
  #markWhole(node: GraphNode, cause: Cause): void {
    const marked = this.#queued(node);
    marked.whole ??= { cause };
    marked.whole.cause ??= cause;
  }

  #queued(node: GraphNode): Marked {
    if (node.order < this.#lowest) this.#lowest = node.order;
    return (this.#queue[node.order] ??= { hosts: new Map(), whole: null });
  }

  /** The hosts in which a node is to be worked out, each with the change that led to it. */
  #meant(node: GraphNode, { hosts, whole }: Marked): Iterable<[HostState, Cause]> {
    if (!whole) return hosts;
    const rows = this.rows.get(scopeOfNode(node)) ?? [];
    return rows.map((row) => [row, hosts.get(row) ?? whole.cause]);
  }
}

/** Works out whether a grid is there: under its condition, while the one that it stands in is. */
function settleThere(life: Life, { grid, feeds }: GridNode, cause: Cause): void {
  const outer = life.there(grid.within ?? '');
  const there = { ...outer };
  if (grid.shownWhen) {
    life.met = false;
    life.sawChange = false;
    life.watching = life.root.based;
    const evaluated = evaluate(grid.shownWhen, life.root, life.around.clock, life.budget);
    life.watching = false;
    there.unsure ||= life.met;
    there.changed ||= life.sawChange || !life.root.based;
    // While that is being read, what was known last holds.
    if (life.met) there.holds = life.there(grid.key).holds;
    else there.holds &&= 'value' in evaluated && evaluated.value === true;
  }
  if (life.noteThere(grid.key, there)) life.flow(feeds, life.root, cause);
}

/** The host of a scope that a host is, or stands in. */
function outTo(host: HostState, scope: string): HostState {
  let at = host;
  while (at.scope.key !== scope && at.parent) at = at.parent;
  return at;
}
