import { say } from '../../words/say';
import { Context, isList, isRecord, kindOf, same, type Feel, type FeelRecord } from '../feel';
import type { Frame } from '../frame';
import { any, listOf, yesNo } from '../kinds';
import type { FeelFunctions } from './signature';

/** Functions of contexts, and of values of any kind (DMN 1.5, 10.3.4.8 and after). */
export const contextFunctions: FeelFunctions = {
  'get value': {
    parameters: [any, any],
    gives: any,
    does: () => say('a member of a context by its name, or by the names that lead to it'),
    run: ([from = null, key = null]) => {
      const names = isList(key) ? key : [key];
      let at: Feel = from;
      for (const name of names)
        at = isRecord(at) && typeof name === 'string' ? at.member(name) : null;
      return at;
    },
  },
  'get entries': {
    parameters: [any],
    gives: listOf(any),
    does: () => say('the members of a context, each as {key, value}'),
    run: ([from = null], frame) => {
      if (!isRecord(from)) return frame.warn('wrong_kind');
      const names = from.members();
      frame.spend(names.length);
      return names.map((name) => entry(name, from.member(name)));
    },
  },
  context: {
    parameters: [any],
    gives: any,
    does: () => say('a context from a list of {key, value}'),
    run: ([given = null], frame) => {
      const entries = new Map<string, Feel>();
      for (const item of isList(given) ? given : [given]) {
        const name = isRecord(item) ? item.member('key') : null;
        if (!isRecord(item) || typeof name !== 'string' || entries.has(name)) {
          return frame.warn('wrong_kind');
        }
        frame.spend(1);
        entries.set(name, item.member('value'));
      }
      return new Context(entries);
    },
  },
  'context put': {
    parameters: [any, any, any],
    gives: any,
    withAbsent: true,
    does: () => say('the context with a member put in, or changed; a list of names leads into it'),
    run: ([into = null, key = null, value = null], frame) => {
      const names = isList(key) ? key : [key];
      return put(into, names, value, frame);
    },
  },
  'context merge': {
    parameters: [listOf(any)],
    gives: any,
    does: () => say('the members of all contexts in one; what comes later wins'),
    run: ([given = null], frame) => {
      const entries = new Map<string, Feel>();
      for (const item of isList(given) ? given : [given]) {
        if (!isRecord(item)) return frame.warn('wrong_kind');
        for (const name of item.members()) {
          frame.spend(1);
          entries.set(name, item.member(name));
        }
      }
      return new Context(entries);
    },
  },
  is: {
    parameters: [any, any],
    gives: yesNo,
    withAbsent: true,
    does: () => say('whether two values are the same, of the same kind'),
    run: ([a = null, b = null], frame) => kindOf(a) === kindOf(b) && same(a, b, frame) === true,
  },
  'is defined': {
    parameters: [any],
    gives: yesNo,
    withAbsent: true,
    does: () => say('whether there is a value'),
    run: ([value]) => (value ?? null) !== null,
  },
};

function entry(name: string, value: Feel): FeelRecord {
  return new Context(
    new Map<string, Feel>([
      ['key', name],
      ['value', value],
    ]),
  );
}

function put(into: Feel, names: readonly Feel[], value: Feel, frame: Frame<unknown>): Feel {
  const [name, ...further] = names;
  if (!isRecord(into) || typeof name !== 'string') return frame.warn('wrong_kind');
  const members = into.members();
  frame.spend(members.length);
  const entries = new Map(members.map((key) => [key, into.member(key)]));
  if (further.length === 0) entries.set(name, value);
  else {
    const inner = put(into.member(name), further, value, frame);
    if (inner === null) return null;
    entries.set(name, inner);
  }
  return new Context(entries);
}

/** The type names of `instance of`, each with what it says of a value. */
export const typeNames: Readonly<Record<string, (value: Feel) => boolean>> = {
  Any: (value) => value !== null,
  Null: (value) => value === null,
  number: (value) => kindOf(value) === 'number',
  string: (value) => typeof value === 'string',
  boolean: (value) => typeof value === 'boolean',
  date: (value) => kindOf(value) === 'date',
  time: (value) => kindOf(value) === 'time',
  'date and time': (value) => kindOf(value) === 'date_time',
  'days and time duration': (value) => kindOf(value) === 'days',
  'years and months duration': (value) => kindOf(value) === 'months',
  list: (value) => isList(value),
  context: (value) => isRecord(value),
  range: (value) => kindOf(value) === 'range',
};
