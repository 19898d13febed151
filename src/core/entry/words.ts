import { num, say, spoken } from '../words/say';
import type { WarningCode } from '../formula/frame';
import { operatorWords, type Operator } from '../table/conditions';
import type { Value } from '../values/types';
import { reasonBound, type EmptyReason } from './asks';
import type { TraceEvent } from './trace';

/** How an entry's parts are called on the screen. A field of a grid is named `grid.field`. */
export interface Names {
  /** The label of a field. */
  field(key: string): string;
  /** The label of a column of the field's table. */
  path(field: string, path: string): string;
  /** A value of a field as people read it. */
  value(field: string, value: Value): string;
}

/** Why a list is empty, a sentence a line (C4). */
export function whyEmpty(field: string, reason: EmptyReason, names: Names): string[] {
  if (reason.total === 0) return [say('There is no record to choose from yet.')];
  const lines = reason.conditions.map(({ path, operator, values, field: by, without }) => {
    const shown = values.map((value) => (by ? names.value(by, value) : String(value))).join(', ');
    const words = operatorWords[operator as Operator] ?? operator;
    const condition = `${names.path(field, path)} ${words} ${shown}`.trim();
    if (without === 0) return say(`“${condition}”: none, with it or without it.`);
    return say(`“${condition}” leaves none; without it ${counted(without)} would be offered.`);
  });
  if (reason.withoutSearch === null) return lines;
  if (reason.withoutSearch > 0) {
    return [
      say(
        `Nothing matches what was typed; without it ${counted(reason.withoutSearch)} are offered.`,
      ),
    ];
  }
  return lines;
}

/** A number that was counted up to a bound only. */
function counted(n: number): string {
  return n >= reasonBound ? say(`${reasonBound} or more`) : String(n);
}

/** An event of the trace in words: `Town`, `12 offered`. */
export function traceWords(event: TraceEvent, names: Names): { subject: string; said: string } {
  return { subject: names.field(event.field), said: said(event, names) };
}

function said(event: TraceEvent, names: Names): string {
  const value = event.value === null ? say('nothing') : names.value(event.field, event.value);
  switch (event.kind) {
    case 'set':
      return event.value === null ? say('was emptied') : say(`became ${value}`);
    case 'offered':
      return say(`${num(event.found ?? 0)} offered`);
    case 'empty':
      return say('nothing offered');
    case 'waits':
      return say(`waits for ${names.field(event.cause ?? '')}`);
    case 'cleared':
      return say('cleared, it is not offered or shown any more');
    case 'taken':
      return say('the only choice, taken');
    case 'failed':
      return say('could not be read');
    case 'brought':
      return broughtWords(event, value, names);
    case 'computed':
      return say(`computed: ${value}`);
    case 'totalled':
      return say(`totalled: ${value}`);
    case 'begins':
      return say(`begins with ${value}`);
    case 'shown':
      return say('is shown now');
    case 'hidden':
      return say('is not shown now');
    case 'named':
      return say('found by its key');
    case 'not named':
      return say(`has no record with the key ${String(event.value)}`);
    case 'refused':
      return say(`refused: ${event.message ?? ''}`);
    case 'holds':
      return say('its check holds again');
    case 'warned':
      return warningWords[event.warning ?? 'wrong_kind'];
    case 'row added':
      return say('a line was added');
    case 'row removed':
      return say('a line was removed');
  }
}

const warningWords: Record<WarningCode, string> = spoken(() => ({
  division_by_zero: say('divided by zero: nothing'),
  not_a_date: say('met something that is no date: nothing'),
  not_a_number: say('met something that is no number: nothing'),
  wrong_kind: say('met values that do not go together: nothing'),
  out_of_range: say('met a value that is too large'),
  no_such_text_pattern: say('met a pattern that cannot be read: nothing'),
}));

/** A column shown beside the lookup is named; a field that takes one is the subject itself. */
function broughtWords(event: TraceEvent, value: string, names: Names): string {
  if (event.path === undefined) return say(`brought: ${value}`);
  const shown = event.value === null ? say('nothing') : String(event.value);
  return say(`brought ${names.path(event.field, event.path)}: ${shown}`);
}
