import {
  kindOf,
  readFeelDate,
  readFeelDateTime,
  readFeelDuration,
  readFeelTime,
  type Feel,
} from './feel';
import type { Kind } from './kinds';
import { Refused } from './scope';
import { formulaProblem, type Node } from './syntax';

/** A date, a time or a duration as it is written: its kind and its value. */
export function temporal(node: Extract<Node, { type: 'temporal' }>): [Kind, Feel] {
  const { what, written } = node;
  const refuse = () => {
    throw new Refused(formulaProblem('formula_no_date', node, { given: written, what }));
  };
  if (what === '@') {
    const found =
      readFeelDate(written) ??
      readFeelTime(written) ??
      readFeelDateTime(written) ??
      readFeelDuration(written);
    return found ? [{ is: kindOf(found) } as Kind, found] : refuse();
  }
  const read = { date: readFeelDate, time: readFeelTime, duration: readFeelDuration }[what];
  const found = (read ?? readFeelDateTime)(written);
  return found ? [{ is: kindOf(found) } as Kind, found] : refuse();
}
