import type { WiredForm } from './form';
import type { WiredField } from './wired';
import { reachedFrom, type GraphNode } from './graph';
import { readField } from './sources';

/**
 * Whether a save needs what a field reads: it is stored itself, or something that is stored, checked, written
 * besides or sent follows from it. What only stands on the screen is not worth waiting for.
 */
export function isNeeded(form: WiredForm, wired: WiredField): boolean {
  const known = needs.get(wired);
  if (known !== undefined) return known;
  const start = (['list', 'read', 'value', 'record'] as const).flatMap(
    (aspect) => form.graph.of(wired, aspect) ?? [],
  );
  const reached = [...start, ...reachedFrom(start)];
  const found = reached.some(counts) || reached.some((node) => isWritten(form, node));
  needs.set(wired, found);
  return found;
}

const needs = new WeakMap<WiredField, boolean>();

function counts(node: GraphNode): boolean {
  if (node.aspect === 'there') return true;
  if (node.aspect === 'check' || node.aspect === 'required') return true;
  return node.wired.field.savesTo !== null;
}

/** Whether a formula of what is written besides or sent reads the field. */
function isWritten(form: WiredForm, node: GraphNode): boolean {
  if (node.aspect === 'there') return false;
  const read = writtenReads(form);
  return read.has(node.wired);
}

const reads = new WeakMap<WiredForm, Set<WiredField>>();

function writtenReads(form: WiredForm): Set<WiredField> {
  const known = reads.get(form);
  if (known) return known;
  const found = new Set<WiredField>();
  for (const { scope: key, use, formula } of form.formulas) {
    if (use.at !== 'write' && use.at !== 'send' && use.at !== 'button') continue;
    const scope = form.scopes.get(key);
    for (const path of scope ? formula.reads : []) {
      const field = scope && readField(form.scopes, scope, path)?.wired;
      if (field) found.add(field);
    }
  }
  reads.set(form, found);
  return found;
}
