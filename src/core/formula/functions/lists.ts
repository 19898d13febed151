import { say } from '../../words/say';
import { isNumber } from '../feel';
import {
  compare,
  DaysDuration,
  Decimal,
  isList,
  isRecord,
  lastingDays,
  same,
  type Feel,
} from '../feel';
import { finite } from '../arithmetic';
import type { Frame } from '../frame';
import { any, days, join, listOf, nothing, number, yesNo, type Kind } from '../kinds';
import type { FeelFunction, FeelFunctions } from './signature';

type List = readonly Feel[];

const itemOf = (kind: Kind | undefined): Kind =>
  kind === undefined ? any : kind.is === 'list' ? kind.of : kind;
const sameList = (given: readonly Kind[]): Kind => listOf(itemOf(given[0]));

export const listFunctions: FeelFunctions = {
  count: one(
    () => say('how many items there are'),
    number,
    (list) => new Decimal(list.length),
  ),
  sum: amounts(
    () => say('the sum, of durations too'),
    (list) => list.reduce((a, b) => a.plus(b)),
  ),
  product: numbers(
    () => say('the product'),
    (list) => list.reduce((a, b) => a.times(b)),
  ),
  mean: amounts(
    () => say('the average, of durations too'),
    (list) => list.reduce((a, b) => a.plus(b)).dividedBy(list.length),
  ),
  median: numbers(
    () => say('the middle one'),
    (list) => {
      const sorted = [...list].sort((a, b) => a.comparedTo(b));
      const middle = sorted.slice((sorted.length - 1) >> 1, (sorted.length >> 1) + 1);
      return middle.reduce((a, b) => a.plus(b)).dividedBy(middle.length);
    },
  ),
  stddev: numbers(
    () => say('the standard deviation of a sample'),
    (list) => {
      if (list.length < 2) return null;
      const mean = list.reduce((a, b) => a.plus(b)).dividedBy(list.length);
      const squares = list.map((n) => n.minus(mean).pow(2)).reduce((a, b) => a.plus(b));
      return squares.dividedBy(list.length - 1).sqrt();
    },
  ),
  min: extreme(() => say('the least'), -1),
  max: extreme(() => say('the greatest'), 1),
  mode: {
    ...spread(
      () => say('what is there most often'),
      (given) => listOf(itemOf(given[0])),
    ),
    run: (given, frame) => {
      const list = items(given);
      frame.spend(list.length ** 2 / 10);
      const groups: { item: Feel; times: number }[] = [];
      for (const item of list) {
        const group = groups.find((g) => same(g.item, item, frame));
        if (group) group.times++;
        else groups.push({ item, times: 1 });
      }
      const most = Math.max(0, ...groups.map((g) => g.times));
      const found = groups.filter((g) => g.times === most).map((g) => g.item);
      return found.sort((a, b) => compare(a, b) ?? 0);
    },
  },
  all: truth(
    () => say('whether all are true'),
    (list) => {
      if (list.includes(false)) return false;
      return list.every((item) => item === true) ? true : null;
    },
  ),
  any: truth(
    () => say('whether one is true'),
    (list) => {
      if (list.includes(true)) return true;
      return list.every((item) => item === false) ? false : null;
    },
  ),
  'list contains': {
    parameters: [listOf(any), any],
    gives: yesNo,
    withAbsent: true,
    does: () => say('whether a value is in the list'),
    run: ([list, item], frame) => {
      if (!isList(list ?? null)) return null;
      frame.spend(asList(list).length);
      return asList(list).some((other) => same(other, item ?? null, frame) === true);
    },
  },
  'index of': {
    parameters: [listOf(any), any],
    gives: listOf(number),
    withAbsent: true,
    does: () => say('the places at which a value stands in the list'),
    run: ([list, item], frame) => {
      if (!isList(list ?? null)) return null;
      frame.spend(asList(list).length);
      return asList(list).flatMap((other, i) =>
        same(other, item ?? null, frame) === true ? [new Decimal(i + 1)] : [],
      );
    },
  },
  sublist: {
    parameters: [listOf(any), number, number],
    optional: 1,
    gives: sameList,
    does: () => say('a part of a list, from a place on, so many items'),
    run: ([list, start, length], frame) => {
      frame.spend(asList(list).length);
      const from = placeOf(start as Decimal, asList(list).length);
      if (from === null) return null;
      const many = isNumber(length) ? length.toNumber() : Infinity;
      return many < 0 ? null : asList(list).slice(from, from + many);
    },
  },
  append: {
    parameters: [listOf(any)],
    rest: any,
    gives: (given) => listOf(given.slice(1).reduce(join, itemOf(given[0]))),
    withAbsent: true,
    does: () => say('the list with more items at its end'),
    run: ([list, ...more], frame) => grown(frame, [...asList(list ?? null), ...more]),
  },
  concatenate: {
    ...spread(
      () => say('the lists behind one another'),
      (given) => listOf(given.map(itemOf).reduce(join, nothing)),
    ),
    run: (given, frame) => grown(frame, given.flatMap(asList)),
  },
  union: {
    ...spread(
      () => say('the lists together, each value once'),
      (given) => listOf(given.map(itemOf).reduce(join, nothing)),
    ),
    run: (given, frame) => distinct(given.flatMap(asList), frame),
  },
  'insert before': {
    parameters: [listOf(any), number, any],
    gives: (given) => listOf(join(itemOf(given[0]), given[2] ?? any)),
    withAbsent: true,
    does: () => say('the list with an item put in before a place'),
    run: ([list, place, item], frame) => {
      if (!isList(list ?? null) || !isNumber(place)) return null;
      const at = placeOf(place as Decimal, asList(list).length);
      if (at === null) return null;
      frame.spend(asList(list).length);
      return [...asList(list).slice(0, at), item ?? null, ...asList(list).slice(at)];
    },
  },
  remove: {
    parameters: [listOf(any), number],
    gives: sameList,
    does: () => say('the list without the item at a place'),
    run: ([list, place], frame) => {
      frame.spend(asList(list).length);
      const at = placeOf(place as Decimal, asList(list).length);
      return at === null ? null : asList(list).filter((_, i) => i !== at);
    },
  },
  reverse: one(
    () => say('the list from its end'),
    sameList,
    (list) => [...list].reverse(),
  ),
  flatten: one(
    () => say('the items of all lists in it, in one list'),
    listOf(any),
    (list, frame) => grown(frame, (list as Feel[]).flat(20) as Feel[]),
  ),
  'distinct values': one(() => say('each value once'), sameList, distinct),
};

/** The items of `sum(list)` and of `sum(1, 2)` alike. */
function items(given: readonly Feel[]): List {
  const [first = null] = given;
  return given.length === 1 && isList(first) ? first : given;
}

/** A list that was given; a single value counts as a list of one. */
function asList(value: Feel | undefined): List {
  return isList(value ?? null) ? (value as List) : [value ?? null];
}

function grown(frame: Frame<unknown>, list: List): List {
  frame.spend(list.length);
  return list;
}

function distinct(list: List, frame: Frame<unknown>): List {
  const found: Feel[] = [];
  const keys = new Set<string>();
  /** What has no key is compared one by one. */
  const others: Feel[] = [];
  for (const item of list) {
    const key = keyOf(item);
    frame.spend(1 + (key === null ? others.length / 10 : 0));
    if (key === null) {
      if (others.some((other) => same(other, item, frame) === true)) continue;
      others.push(item);
    } else if (keys.has(key)) continue;
    else keys.add(key);
    found.push(item);
  }
  return found;
}

/** The same text for values that are the same, by kind; `null` for those that have parts. */
function keyOf(value: Feel): string | null {
  if (value === null || typeof value === 'boolean') return String(value);
  if (typeof value === 'string') return `text ${value}`;
  if (isNumber(value)) return `number ${value.toString()}`;
  return isRecord(value) && value.identity !== null ? `record ${value.identity}` : null;
}

/** The index of the place 1, 2, … or -1, -2, … from the end; `null` outside of the list. */
function placeOf(place: Decimal, length: number): number | null {
  const at = place.toNumber();
  if (!Number.isInteger(at) || at === 0 || Math.abs(at) > length + 1) return null;
  const index = at > 0 ? at - 1 : length + at;
  return index < 0 ? null : index;
}

function spread(
  does: () => string,
  gives: FeelFunction['gives'],
): Pick<FeelFunction, 'parameters' | 'rest' | 'gives' | 'withAbsent' | 'does'> {
  return { parameters: [any], rest: any, gives, withAbsent: true, does };
}

function one(
  does: () => string,
  gives: FeelFunction['gives'],
  run: (list: List, frame: Frame<unknown>) => Feel,
): FeelFunction {
  return {
    parameters: [listOf(any)],
    gives,
    does,
    run: ([list], frame) => {
      frame.spend(asList(list).length);
      return run(asList(list), frame);
    },
  };
}

/** A function of numbers; absent as soon as one of them is, and for none at all. */
function numbers(
  does: () => string,
  run: (list: readonly Decimal[]) => Decimal | null,
): FeelFunction {
  return {
    ...spread(does, number),
    parameters: [any],
    run: (given, frame) => {
      const list = items(given);
      frame.spend(list.length);
      if (list.length === 0) return null;
      if (!list.every((item) => isNumber(item))) {
        return list.includes(null) ? null : frame.warn('wrong_kind');
      }
      const made = run(list as readonly Decimal[]);
      return made && finite(made);
    },
  };
}

/** The same of durations of days and time too, which FEEL leaves out: hours of work are summed. */
function amounts(does: () => string, run: (list: readonly Decimal[]) => Decimal): FeelFunction {
  const ofNumbers = numbers(does, run);
  return {
    ...ofNumbers,
    gives: (given) => {
      const kind = given.length === 1 ? itemOf(given[0]) : given.reduce(join, nothing);
      return kind.is === 'days' ? days : number;
    },
    run: (given, frame) => {
      const list = items(given);
      if (list.length === 0 || !list.every((item) => item instanceof DaysDuration)) {
        return ofNumbers.run(given, frame);
      }
      frame.spend(list.length);
      return lastingDays(run(list.map((item) => new Decimal(item.milliseconds))).toNumber());
    },
  };
}

function extreme(does: () => string, sign: 1 | -1): FeelFunction {
  return {
    ...spread(does, (given) =>
      given.length === 1 ? itemOf(given[0]) : given.reduce(join, nothing),
    ),
    run: (given, frame) => {
      const list = items(given);
      frame.spend(list.length);
      let found = list[0] ?? null;
      for (const item of list) {
        const order = compare(item, found);
        if (order === null)
          return item === null || found === null ? null : frame.warn('wrong_kind');
        if (order * sign > 0) found = item;
      }
      return found;
    },
  };
}

function truth(does: () => string, run: (list: List) => Feel): FeelFunction {
  return {
    ...spread(does, yesNo),
    run: (given, frame) => {
      const list = items(given);
      frame.spend(list.length);
      return run(list);
    },
  };
}
