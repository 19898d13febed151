import { problem, type Problem } from '../problems';
import type { FieldNode } from '../wiring/graph';
import { sourceOf } from '../wiring/wired';
import type { Answer, AskKind, StandingAsk } from './asks';
import { failChoices, refreshChoices, takeOffer } from './choosing';
import type { Cell } from './host-state';
import type { Cause, Life } from './life';
import {
  refreshColumns,
  refreshValue,
  retryKey,
  takeColumns,
  takeNamed,
  takeValue,
  typeKey,
} from './reading';
import { settleRule } from './rules';
import { settleValue } from './working-out';

/** Works one thing of a field out: what it asks, or what follows in it. */
export function workNode(life: Life, cell: Cell, node: FieldNode, cause: Cause): void {
  switch (node.aspect) {
    case 'list':
      refreshChoices(life, cell, cause);
      return retryKey(life, cell, cause);
    case 'read':
      return refreshValue(life, cell, cause);
    case 'record':
      return refreshColumns(life, cell, cause);
    case 'value':
      return settleValue(life, cell, cause);
    default:
      return settleRule(life, cell, node, cause);
  }
}

/** Asks once more what was asked before, whatever was answered. */
export function askAgain(life: Life, cell: Cell, kind: AskKind, cause: Cause): void {
  const question = cell.question(kind);
  question.failed = null;
  question.answeredFor = null;
  if (kind === 'list') refreshChoices(life, cell, cause);
  else if (kind === 'value') refreshValue(life, cell, cause);
  else if (kind === 'key') typeKey(life, cell, cell.rejected?.text ?? '', cause);
  else life.askColumns(cell, cause);
}

/** Takes the answer to an ask of a cell; another answer than was asked for is none. */
export function takeAnswer(life: Life, ask: StandingAsk, cell: Cell, answer: Answer): void {
  const question = cell.question(ask.kind);
  life.wake(cell);
  life.drop(cell, ask.kind);
  question.answeredFor = ask.id;
  if ('failed' in answer) return failed(life, cell, ask.kind, answer.failed);
  if (ask.kind === 'list' && 'choices' in answer) return takeOffer(life, cell, answer);
  if (ask.kind === 'value' && 'value' in answer) {
    return takeValue(life, cell, answer.value, answer.took, answer.at ?? null);
  }
  if (ask.kind === 'key' && 'named' in answer) return takeNamed(life, cell, answer.named);
  if (ask.kind === 'record' && 'record' in answer) {
    return takeColumns(life, cell, ask.current, answer.record, answer.took);
  }
  // Another answer than was asked for is none.
  failed(life, cell, ask.kind, problem('read_failed', { label: cell.wired.field.label }));
}

/** A failed read leaves the last known state; it is marked, and can be asked again. */
function failed(life: Life, cell: Cell, kind: AskKind, found: Problem): void {
  const question = cell.question(kind);
  question.failed = found;
  if (kind === 'list') failChoices(life, cell, found);
  if (kind === 'key') {
    cell.rejected = { text: cell.keyText ?? '', problem: found };
    cell.keyText = null;
  }
  life.note(cell, { kind: 'failed', cause: question.cause, value: cell.value });
  // What an outside system does not give is absent: the rest of the form goes on without it.
  if (sourceOf(cell.wired, kind)?.whenFailed !== 'absent') return;
  if (kind === 'value') takeValue(life, cell, null, undefined);
  if (kind === 'record') takeColumns(life, cell, cell.value, null, undefined);
}
