import type { EntryFormula } from '../plan/formulas';
import { scopeAround } from '../plan/scopes';
import type { WiredField, WiredScope } from './wired';
import { gridRead, readField, sourceField } from './sources';

/** What is worked out of a field. */
export type Aspect =
  'list' | 'value' | 'record' | 'read' | 'shown' | 'required' | 'locked' | 'check';

/** The things of a field that read something, each with its question and its answer. */
export const askingAspects: ReadonlySet<Aspect> = new Set(['list', 'record', 'read']);

/** What of a field is worked out again when what was asked for it is answered. */
export function aspectOf(gives: 'list' | 'value' | 'record' | 'key'): Aspect {
  if (gives === 'key') return 'value';
  return gives === 'value' ? 'read' : gives;
}

/** How one thing leads to another. */
export type FlowKind =
  'narrows' | 'offers' | 'reads' | 'brings' | 'computes' | 'rolls up' | 'rules';

/** From where to where: within the form or one row, to all rows inside it, out to what is around it, between rows. */
export type Reach = 'same' | 'down' | 'up' | 'across';

export interface Flow {
  to: GraphNode;
  reach: Reach;
  kind: FlowKind;
}

/** One thing of a field that is worked out. Nodes are numbered so that each comes after all it follows from. */
export interface FieldNode {
  order: number;
  wired: WiredField;
  aspect: Aspect;
  /** Which check, for checks. */
  check: number;
  feeds: Flow[];
}

/** Whether a grid is there: worked out once for the form, as its condition is one of the form. */
export interface GridNode {
  order: number;
  grid: WiredScope;
  aspect: 'there';
  feeds: Flow[];
}

export type GraphNode = FieldNode | GridNode;

/** The scope in which a node is worked out: `''` for the form itself, otherwise the grid of its rows. */
export function scopeOfNode(node: GraphNode): string {
  return node.aspect === 'there' ? '' : node.wired.scope;
}

export interface Graph {
  /** All nodes in order. */
  nodes: readonly GraphNode[];
  /** The nodes of a field. */
  of: (wired: WiredField, aspect: Aspect) => FieldNode | undefined;
  /** Whether a grid is there; only for grids that can be away. */
  there: ReadonlyMap<string, GridNode>;
  /** What follows from the rows of a grid being added or taken away. */
  rowFlows: ReadonlyMap<string, readonly Flow[]>;
}

/** Everything that follows from some nodes, themselves not among it unless they follow from one another. */
export function reachedFrom(nodes: readonly GraphNode[]): Set<GraphNode> {
  const found = new Set<GraphNode>();
  const open = [...nodes];
  for (let node = open.pop(); node; node = open.pop()) {
    for (const { to } of node.feeds) {
      if (found.has(to)) continue;
      found.add(to);
      open.push(to);
    }
  }
  return found;
}

/** Builds the graph of all scopes, its nodes in order; a circle is reported and its last flow left out. */
export function buildGraph(scopes: ReadonlyMap<string, WiredScope>): {
  graph: Graph;
  cycle: string[] | null;
} {
  const byField = new Map<WiredField, FieldNode[]>();
  const there = gridNodes(scopes);
  for (const scope of scopes.values()) {
    for (const wired of scope.list) byField.set(wired, nodesOf(wired));
  }
  const byAspect = new Map(
    [...byField].map(([wired, nodes]) => [
      wired,
      new Map(nodes.map((node) => [node.aspect, node] as const)),
    ]),
  );
  const of = (wired: WiredField, aspect: Aspect) => byAspect.get(wired)?.get(aspect);
  const rowFlows = new Map<string, Flow[]>();
  const graph = { of, there, rowFlows };
  for (const scope of scopes.values()) {
    for (const wired of scope.list) connect(scopes, scope, wired, byField.get(wired) ?? [], graph);
  }
  for (const node of there.values()) connectGrid(scopes, node, graph);
  const { nodes, cycle } = sorted([...there.values(), ...[...byField.values()].flat()], scopes);
  return { graph: { nodes, ...graph }, cycle };
}

/** The nodes of the grids that can be away: those with a condition, and those that stand in such a one. */
function gridNodes(scopes: ReadonlyMap<string, WiredScope>): Map<string, GridNode> {
  const found = new Map<string, GridNode>();
  // A grid comes after the one that it stands in.
  for (const grid of scopes.values()) {
    if (grid.shownWhen === null && !found.has(grid.within ?? '')) continue;
    found.set(grid.key, { order: -1, grid, aspect: 'there', feeds: [] });
  }
  return found;
}

function nodesOf(wired: WiredField): FieldNode[] {
  const { sources, columns } = wired;
  const node = (aspect: Aspect, check = -1): FieldNode => ({
    order: -1,
    wired,
    aspect,
    check,
    feeds: [],
  });
  return [
    ...(sources.list ? [node('list')] : []),
    ...(sources.value ? [node('read')] : []),
    ...(wired.shownWhen ? [node('shown')] : []),
    node('value'),
    ...(columns.size > 0 ? [node('record')] : []),
    ...(wired.requiredWhen ? [node('required')] : []),
    ...(wired.lockedWhen ? [node('locked')] : []),
    ...wired.checks.map((_, i) => node('check', i)),
  ];
}

/** The parts of a graph while its flows are laid. */
interface Laying extends Pick<Graph, 'of' | 'there'> {
  rowFlows: Map<string, Flow[]>;
}

/** Lays a flow from one node to another, once. */
function lay(
  scopes: ReadonlyMap<string, WiredScope>,
  from: GraphNode | undefined,
  to: GraphNode | undefined,
  kind: FlowKind,
  over?: Reach,
): void {
  if (!from || !to || (from === to && over !== 'across')) return;
  const reach = over ?? reachOf(scopes, scopeOfNode(from), scopeOfNode(to));
  if (from.feeds.some((known) => known.to === to && known.reach === reach)) return;
  from.feeds.push({ to, reach, kind });
}

/** Lays the flows from all that a formula of a scope reads: fields, columns of records, rows. */
function layReads(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: WiredScope,
  formula: EntryFormula | null,
  to: GraphNode | undefined,
  kind: FlowKind,
  { of, there, rowFlows }: Laying,
): void {
  for (const path of formula?.reads ?? []) {
    const found = readField(scopes, scope, path);
    const grid = gridRead(scopes, scope, path);
    // A row that reads rows of the form around it reads its neighbours too, not only itself.
    const across = grid !== null && path[0] === 'parent' && scope.key !== '';
    const over = across ? 'across' : undefined;
    if (found) {
      lay(scopes, of(found.wired, 'value'), to, kind, over);
      if (found.rest.length > 0) lay(scopes, of(found.wired, 'record'), to, kind, over);
    }
    if (grid === null || !to) continue;
    const reach = over ?? reachOf(scopes, scopes.get(grid)?.within ?? '', scopeOfNode(to));
    const known = rowFlows.get(grid);
    if (known) known.push({ to, reach, kind });
    else rowFlows.set(grid, [{ to, reach, kind }]);
    // A grid that is away has no rows: what follows from them follows from that.
    lay(scopes, there.get(grid), to, kind);
  }
}

/** A grid is there under its condition, and while the one that it stands in is. */
function connectGrid(
  scopes: ReadonlyMap<string, WiredScope>,
  node: GridNode,
  laying: Laying,
): void {
  const root = scopes.get('');
  if (root) layReads(scopes, root, node.grid.shownWhen, node, 'rules', laying);
  lay(scopes, laying.there.get(node.grid.within ?? ''), node, 'rules');
}

function connect(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: WiredScope,
  wired: WiredField,
  nodes: readonly FieldNode[],
  laying: Laying,
): void {
  const { of } = laying;
  const node = (aspect: Aspect) => nodes.find((candidate) => candidate.aspect === aspect);
  const value = node('value');
  const flow = (from: GraphNode | undefined, to: GraphNode | undefined, kind: FlowKind) =>
    lay(scopes, from, to, kind);
  const reads = (formula: EntryFormula | null, to: GraphNode | undefined, kind: FlowKind) =>
    layReads(scopes, scope, formula, to, kind, laying);
  for (const source of Object.values(wired.sources)) {
    for (const { field } of source?.awaits ?? []) {
      const awaited = sourceField(scopes, scope.key, field);
      if (awaited && source) flow(of(awaited, 'value'), node(aspectOf(source.gives)), 'narrows');
    }
  }
  flow(node('list'), value, 'offers');
  flow(node('read'), value, 'rolls up');
  flow(node('shown'), value, 'rules');
  flow(value, node('record'), 'reads');
  if (wired.broughtBy) {
    const { from, bring } = wired.broughtBy;
    flow(of(from, 'value'), value, 'brings');
    flow(of(from, 'record'), value, 'brings');
    const by = bring.by === null ? undefined : scope.fields.get(bring.by);
    if (by) flow(of(by, 'value'), value, 'brings');
  }
  reads(wired.computes, value, 'computes');
  reads(wired.initially, value, 'computes');
  reads(wired.shownWhen, node('shown'), 'rules');
  reads(wired.requiredWhen, node('required'), 'rules');
  reads(wired.lockedWhen, node('locked'), 'rules');
  wired.checks.forEach(({ holds, message }, i) => {
    const check = nodes.find((candidate) => candidate.check === i);
    reads(holds, check, 'rules');
    for (const part of message) if (typeof part !== 'string') reads(part, check, 'rules');
  });
}

function reachOf(scopes: ReadonlyMap<string, WiredScope>, from: string, to: string): Reach {
  if (from === to) return 'same';
  const holds = (outer: string, inner: string) => {
    let at = scopes.get(inner) ?? null;
    while (at && at.key !== outer) at = scopeAround(scopes, at);
    return at !== null;
  };
  if (holds(from, to)) return 'down';
  return holds(to, from) ? 'up' : 'across';
}

/** Depth-first order, steady in form order; the flow that closes a circle is taken out. */
function sorted(
  all: readonly GraphNode[],
  scopes: ReadonlyMap<string, WiredScope>,
): { nodes: GraphNode[]; cycle: string[] | null } {
  const finished: GraphNode[] = [];
  const done = new Set<GraphNode>();
  let cycle: string[] | null = null;
  // Nodes are finished after all they lead to; from the last in form order, so that the order is steady.
  for (const start of [...all].reverse()) {
    if (done.has(start)) continue;
    // An explicit stack: a chain of a thousand fields must not exhaust the call stack.
    const path: { node: GraphNode; next: number }[] = [{ node: start, next: 0 }];
    const onPath = new Set([start]);
    for (let top = path.at(-1); top; top = path.at(-1)) {
      const next = top.node.feeds[top.next]?.to;
      if (next === undefined) {
        path.pop();
        onPath.delete(top.node);
        done.add(top.node);
        finished.push(top.node);
      } else if (onPath.has(next)) {
        const from = path.findIndex((step) => step.node === next);
        cycle ??= circle(
          path.slice(from).map((step) => step.node),
          scopes,
        );
        top.node.feeds.splice(top.next, 1);
      } else {
        top.next++;
        if (done.has(next)) continue;
        path.push({ node: next, next: 0 });
        onPath.add(next);
      }
    }
  }
  const nodes = finished.reverse();
  nodes.forEach((node, order) => (node.order = order));
  return { nodes, cycle };
}

/** The labels along a circle, each field once, the first one repeated. */
function circle(nodes: readonly GraphNode[], scopes: ReadonlyMap<string, WiredScope>): string[] {
  const labels = nodes.map((node) => {
    if (node.aspect === 'there') return node.grid.title;
    const { wired } = node;
    const grid = wired.scope === '' ? '' : `${scopes.get(wired.scope)?.title ?? wired.scope} › `;
    return grid + wired.field.label;
  });
  const [first = ''] = labels;
  return [...labels, first].filter((label, i, list) => label !== list[i - 1]);
}
