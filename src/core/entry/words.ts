import { operatorWords, type Operator } from '../table/conditions';
import type { Value } from '../values/types';
import type { EmptyReason } from './asks';
import type { TraceEvent } from './entry';

/** How an entry's parts are called on the screen. */
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
  if (reason.total === 0) return ['There is no record to choose from yet.'];
  const lines = reason.conditions.map(({ path, operator, values, field: by, without }) => {
    const shown = values.map((value) => (by ? names.value(by, value) : String(value))).join(', ');
    const words = operatorWords[operator as Operator] ?? operator;
    const condition = `${names.path(field, path)} ${words} ${shown}`.trim();
    if (without === 0) return `“${condition}”: none, with it or without it.`;
    return `“${condition}” leaves none; without it ${without} would be offered.`;
  });
  if (reason.withoutSearch === null) return lines;
  if (reason.withoutSearch > 0) {
    return [`Nothing matches what was typed; without it ${reason.withoutSearch} are offered.`];
  }
  return lines;
}

/** An event of the trace in words: `Town: 12 offered`. */
export function traceWords(event: TraceEvent, names: Names): { subject: string; said: string } {
  const subject = names.field(event.field);
  switch (event.kind) {
    case 'set':
      if (event.value === null) return { subject, said: 'was emptied' };
      return { subject, said: `became ${names.value(event.field, event.value)}` };
    case 'offered':
      return { subject, said: `${event.found} offered` };
    case 'empty':
      return { subject, said: 'nothing offered' };
    case 'waits':
      return { subject, said: `waits for ${names.field(event.cause ?? '')}` };
    case 'cleared':
      return { subject, said: 'cleared, it is not offered any more' };
    case 'taken':
      return { subject, said: 'the only choice, taken' };
    case 'failed':
      return { subject, said: 'could not be read' };
  }
}
