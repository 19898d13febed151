import type { EntryFormula } from '../plan/formulas';
import {
  askedChoices,
  askedValue,
  asksOutside,
  narrowedByOf,
  optionChoices,
  scopeAround,
} from '../plan/schema';
import type { WiredField, WiredScope } from './form';
import { gridOf, readField, sourceField } from './sources';

/** What is worked out of a field. */
export type Aspect =
  'choices' | 'value' | 'facts' | 'rollup' | 'shown' | 'required' | 'locked' | 'check';

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

/** One thing that is worked out. Nodes are numbered so that each comes after all it follows from. */
export interface GraphNode {
  order: number;
  wired: WiredField;
  aspect: Aspect;
  /** Which check, for checks. */
  check: number;
  feeds: Flow[];
}

export interface Graph {
  /** All nodes in order. */
  nodes: readonly GraphNode[];
  /** The nodes of a field. */
  of: (wired: WiredField, aspect: Aspect) => GraphNode | undefined;
  /** What follows from the rows of a grid being added or taken away. */
  rowFlows: ReadonlyMap<string, readonly Flow[]>;
}

/** Everything that a change of the field's value can touch, in order. */
export function touchedBy(graph: Graph, wired: WiredField): GraphNode[] {
  const start = graph.of(wired, 'value');
  const found = new Set<GraphNode>();
  const open = start ? [start] : [];
  for (let node = open.pop(); node; node = open.pop()) {
    for (const { to } of node.feeds) {
      if (found.has(to)) continue;
      found.add(to);
      open.push(to);
    }
  }
  return [...found].sort((a, b) => a.order - b.order);
}

/** Builds the graph of all scopes, its nodes in order; a circle is reported and its last flow left out. */
export function buildGraph(scopes: ReadonlyMap<string, WiredScope>): {
  graph: Graph;
  cycle: string[] | null;
} {
  const byField = new Map<WiredField, GraphNode[]>();
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
  for (const scope of scopes.values()) {
    for (const wired of scope.list)
      connect(scopes, scope, wired, byField.get(wired) ?? [], of, rowFlows);
  }
  const { nodes, cycle } = sorted([...byField.values()].flat(), scopes);
  return { graph: { nodes, of, rowFlows }, cycle };
}

function nodesOf(wired: WiredField): GraphNode[] {
  const { field, facts } = wired;
  const node = (aspect: Aspect, check = -1): GraphNode => ({
    order: -1,
    wired,
    aspect,
    check,
    feeds: [],
  });
  return [
    ...(askedChoices(field) || optionChoices(field) ? [node('choices')] : []),
    ...(askedValue(field) ? [node('rollup')] : []),
    ...(wired.shownWhen ? [node('shown')] : []),
    node('value'),
    ...(facts.size > 0 ? [node('facts')] : []),
    ...(wired.requiredWhen ? [node('required')] : []),
    ...(wired.lockedWhen ? [node('locked')] : []),
    ...wired.checks.map((_, i) => node('check', i)),
  ];
}

function connect(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: WiredScope,
  wired: WiredField,
  nodes: readonly GraphNode[],
  of: Graph['of'],
  rowFlows: Map<string, Flow[]>,
): void {
  const node = (aspect: Aspect) => nodes.find((candidate) => candidate.aspect === aspect);
  const value = node('value');
  const flow = (from: GraphNode | undefined, to: GraphNode | undefined, kind: FlowKind) => {
    if (!from || !to || from === to) return;
    const reach = reachOf(scopes, from.wired.scope, to.wired.scope);
    if (from.feeds.some((known) => known.to === to && known.reach === reach)) return;
    from.feeds.push({ to, reach, kind });
  };
  const reads = (formula: EntryFormula | null, to: GraphNode | undefined, kind: FlowKind) => {
    for (const path of formula?.reads ?? []) {
      const found = readField(scopes, scope, path);
      if (found) {
        flow(of(found.wired, 'value'), to, kind);
        if (found.rest.length > 0) flow(of(found.wired, 'facts'), to, kind);
      }
      const grid = gridRead(scopes, scope, path);
      if (grid === null || !to) continue;
      const reach = reachOf(scopes, scopes.get(grid)?.within ?? '', scope.key);
      rowFlows.set(grid, [...(rowFlows.get(grid) ?? []), { to, reach, kind }]);
      // Rows are there under a condition: what follows from them follows from that.
      for (const read of scopes.get(grid)?.shownWhen?.reads ?? []) {
        const root = scopes.get('');
        const source = root && readField(scopes, root, read);
        if (source) flow(of(source.wired, 'value'), to, kind);
      }
    }
  };
  for (const field of narrowedByOf(wired.field)) {
    const source = sourceField(scopes, scope.key, field);
    if (!source) continue;
    flow(of(source, 'value'), node('choices'), 'narrows');
    if (asksOutside(wired.field)) flow(of(source, 'value'), node('facts'), 'narrows');
  }
  for (const { field } of askedValue(wired.field)?.narrowings ?? []) {
    const source = sourceField(scopes, scope.key, field);
    if (source) flow(of(source, 'value'), node('rollup'), 'narrows');
  }
  flow(node('choices'), value, 'offers');
  flow(node('rollup'), value, 'rolls up');
  flow(node('shown'), value, 'rules');
  flow(value, node('facts'), 'reads');
  if (wired.broughtBy) {
    const { from, bring } = wired.broughtBy;
    flow(of(from, 'value'), value, 'brings');
    flow(of(from, 'facts'), value, 'brings');
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

/** The grid whose rows a path runs over; `null` where it runs over none. */
function gridRead(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: WiredScope,
  path: readonly string[],
): string | null {
  const [first = '', ...rest] = path;
  if (scope.fields.has(first)) return null;
  if (scope.key !== '' && first === 'parent') {
    const around = scopeAround(scopes, scope);
    return around && gridRead(scopes, around, rest);
  }
  return gridOf(scopes, scope, first)?.key ?? null;
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
  const labels = nodes.map(({ wired }) => {
    const grid = wired.scope === '' ? '' : `${scopes.get(wired.scope)?.title ?? wired.scope} › `;
    return grid + wired.field.label;
  });
  const [first = ''] = labels;
  return [...labels, first].filter((label, i, list) => label !== list[i - 1]);
}
