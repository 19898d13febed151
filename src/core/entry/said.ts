import { shownFeel } from '../formula/convert';
import type { Clock } from '../formula/frame';
import { evaluate } from '../formula/formula';
import type { EntryFormula } from '../plan/formulas';
import { formatValue } from '../values/format';
import { reader } from '../words/reader';
import type { HostState } from './host-state';

/** What a part of a sentence says where it names a field plainly: as people read it; `null` for any other formula. */
export function saidPlainly(host: HostState, part: EntryFormula): string | null {
  const named = host.scope.fields.get(part.source.trim());
  const cell = named && host.cells[named.index];
  if (!cell || named.type.kind === 'reference') return null;
  return formatValue(named.type, cell.value, reader());
}

/** A part of a text as it is said; nothing where its formula comes to no end. */
export function saidPart(host: HostState, part: string | EntryFormula, clock: Clock): string {
  if (typeof part === 'string') return part;
  const plain = saidPlainly(host, part);
  if (plain !== null) return plain;
  const evaluated = evaluate(part, host, clock);
  return 'value' in evaluated ? shownFeel(evaluated.value) : '';
}
