import { gridRead, readField } from '../wiring/sources';
import type { WiredForm } from '../wiring/form';
import {
  askingAspects,
  aspectOf,
  reachedFrom,
  type FieldNode,
  type GraphNode,
} from '../wiring/graph';
import type { StandingAsk } from './asks';
import type { HostState } from './host-state';
import type { Life } from './life';

/** What follows from an answer: nothing that asks, something in the same row and around it, or in any row. */
type Follows = 'nothing' | 'here' | 'anywhere';

const known = new WeakMap<GraphNode, Follows>();

/**
 * The rows that are needed to see what follows from the answers to some asks; `null` where nothing that
 * follows asks anything. So a change in one of many rows sends that row, and not all of them.
 */
export function rowsAsked(
  life: Life,
  asks: readonly StandingAsk[],
): ((row: HostState) => boolean) | null {
  let farthest: Follows = 'nothing';
  const places = new Set<string>();
  for (const ask of asks) {
    const follows = followsFrom(life.form, ask);
    if (follows === 'nothing') continue;
    if (farthest !== 'anywhere') farthest = follows;
    if (ask.row !== null) places.add(`${ask.grid} ${ask.row}`);
  }
  if (farthest === 'nothing') return null;
  if (farthest === 'anywhere') return () => true;
  const meant = new Set<HostState>();
  for (const [grid, rows] of life.rows) {
    for (const row of rows) {
      if (!places.has(`${grid} ${row.key}`)) continue;
      for (let at: HostState | null = row; at; at = at.parent) meant.add(at);
    }
  }
  return (row) => meant.has(row);
}

function followsFrom(form: WiredForm, { kind, grid, field }: StandingAsk): Follows {
  const wired = form.scopes.get(grid)?.fields.get(field);
  const start = wired && form.graph.of(wired, aspectOf(kind));
  if (!start) return 'nothing';
  const before = known.get(start);
  if (before) return before;
  const found = followsOf(form, start);
  known.set(start, found);
  return found;
}

function followsOf(form: WiredForm, start: FieldNode): Follows {
  const value = form.graph.of(start.wired, 'value');
  const reached = reachedFrom(value ? [start, value] : [start]);
  const asks = [...reached].some(
    (node) => node.aspect !== 'there' && askingAspects.has(node.aspect),
  );
  if (!asks) return 'nothing';
  const leads = [start, ...reached];
  const wide = leads.some(
    (node) =>
      node.aspect === 'there' ||
      node.feeds.some(({ reach }) => reach !== 'same') ||
      readsRows(form, node),
  );
  return wide ? 'anywhere' : 'here';
}

/** Whether a formula of a field reads rows of a grid. */
function readsRows(form: WiredForm, { wired }: FieldNode): boolean {
  const scope = form.scopes.get(wired.scope);
  if (!scope) return false;
  return wired.formulas.some((formula) =>
    formula.reads.some(
      (path) =>
        gridRead(form.scopes, scope, path) !== null ||
        (readField(form.scopes, scope, path)?.wired.scope ?? wired.scope) !== wired.scope,
    ),
  );
}
