import { say } from '../../words/say';
import { compare, FeelRange, same, type Feel } from '../feel';
import type { Frame } from '../frame';
import { any, yesNo } from '../kinds';
import type { FeelFunction, FeelFunctions } from './signature';

/** The start or the end of a range: a value that belongs to it or not; `undefined` where it has none. */
interface End {
  at: Feel | undefined;
  with: boolean;
}

type Sign = -1 | 0 | 1;

const startOf = (range: FeelRange): End => ({ at: range.low, with: range.withLow });
const endOf = (range: FeelRange): End => ({ at: range.high, with: range.withHigh });

/** Thrown where two ends have no order; the function is absent then. */
class NoOrder extends Error {}

/**
 * How two ends lie: an absent start lies before all, an absent end behind all; `openA` and `openB` say what
 * an absent one means.
 */
function order(a: End, b: End, openA: Sign, openB: Sign): Sign {
  if (a.at === undefined || b.at === undefined) {
    const [x, y] = [a.at === undefined ? openA : 0, b.at === undefined ? openB : 0];
    return Math.sign(x - y) as Sign;
  }
  const found = compare(a.at, b.at);
  if (found === null) throw new NoOrder();
  return Math.sign(found) as Sign;
}

const starts = (a: FeelRange, b: FeelRange) => order(startOf(a), startOf(b), -1, -1);
const ends = (a: FeelRange, b: FeelRange) => order(endOf(a), endOf(b), 1, 1);
/** How the end of one lies to the start of the other. */
const endToStart = (a: FeelRange, b: FeelRange) => order(endOf(a), startOf(b), 1, -1);
const lies = (point: Feel, end: End, open: Sign) => order({ at: point, with: true }, end, 0, open);

const bothWith = (a: End, b: End) => a.with && b.with;

const precedes = (a: FeelRange, b: FeelRange) => {
  const sign = endToStart(a, b);
  return sign < 0 || (sign === 0 && !bothWith(endOf(a), startOf(b)));
};
const reaches = (a: FeelRange, b: FeelRange) => {
  const sign = endToStart(a, b);
  return sign > 0 || (sign === 0 && bothWith(endOf(a), startOf(b)));
};
const beginsBefore = (a: FeelRange, b: FeelRange) => {
  const sign = starts(a, b);
  return sign < 0 || (sign === 0 && a.withLow && !b.withLow);
};
const beginsNotAfter = (a: FeelRange, b: FeelRange) => {
  const sign = starts(a, b);
  return sign < 0 || (sign === 0 && (a.withLow || !b.withLow));
};
const endsNotAfter = (a: FeelRange, b: FeelRange) => {
  const sign = ends(a, b);
  return sign < 0 || (sign === 0 && (!a.withHigh || b.withHigh));
};
const sameStart = (a: FeelRange, b: FeelRange) => starts(a, b) === 0 && a.withLow === b.withLow;
const sameEnd = (a: FeelRange, b: FeelRange) => ends(a, b) === 0 && a.withHigh === b.withHigh;
const meets = (a: FeelRange, b: FeelRange) =>
  endToStart(a, b) === 0 && bothWith(endOf(a), startOf(b));
const overlapsBefore = (a: FeelRange, b: FeelRange) =>
  beginsBefore(a, b) && reaches(a, b) && endsNotAfter(a, b);
const includesRange = (a: FeelRange, b: FeelRange) => beginsNotAfter(a, b) && endsNotAfter(b, a);
const includesPoint = (range: FeelRange, point: Feel) => {
  const [low, high] = [lies(point, startOf(range), -1), lies(point, endOf(range), 1)];
  return (low > 0 || (low === 0 && range.withLow)) && (high < 0 || (high === 0 && range.withHigh));
};
const finishesRange = (a: FeelRange, b: FeelRange) => sameEnd(a, b) && beginsNotAfter(b, a);
const startsRange = (a: FeelRange, b: FeelRange) => sameStart(a, b) && endsNotAfter(a, b);
const isEnd = (point: Feel, range: FeelRange) =>
  range.withHigh && lies(point, endOf(range), 1) === 0;
const isStart = (point: Feel, range: FeelRange) =>
  range.withLow && lies(point, startOf(range), -1) === 0;
const beforePoint = (range: FeelRange, point: Feel) => {
  const sign = lies(point, endOf(range), 1);
  return sign > 0 || (sign === 0 && !range.withHigh);
};
const pointBefore = (point: Feel, range: FeelRange) => {
  const sign = lies(point, startOf(range), -1);
  return sign < 0 || (sign === 0 && !range.withLow);
};

type Ranges = (a: FeelRange, b: FeelRange) => boolean;

/** What a relation says of two ranges, of a point and a range, a range and a point, two points. */
interface Relation {
  ranges?: Ranges;
  pointRange?: (point: Feel, range: FeelRange) => boolean;
  rangePoint?: (range: FeelRange, point: Feel) => boolean;
  points?: (sign: number) => boolean;
}

/** The relations of points and ranges (DMN 1.5, table 78). */
export const rangeFunctions: FeelFunctions = {
  before: relation(() => say('whether the first is before the second'), {
    ranges: precedes,
    pointRange: pointBefore,
    rangePoint: beforePoint,
    points: (sign) => sign < 0,
  }),
  after: relation(() => say('whether the first is after the second'), {
    ranges: (a, b) => precedes(b, a),
    pointRange: (point, range) => beforePoint(range, point),
    rangePoint: (range, point) => pointBefore(point, range),
    points: (sign) => sign > 0,
  }),
  meets: relation(() => say('whether the first range ends where the second starts'), {
    ranges: meets,
  }),
  'met by': relation(() => say('whether the first range starts where the second ends'), {
    ranges: (a, b) => meets(b, a),
  }),
  overlaps: relation(() => say('whether two ranges have something in common'), {
    ranges: (a, b) => reaches(a, b) && reaches(b, a),
  }),
  'overlaps before': relation(
    () => say('whether the first range starts before the second and ends in it'),
    {
      ranges: overlapsBefore,
    },
  ),
  'overlaps after': relation(
    () => say('whether the first range starts in the second and ends behind it'),
    {
      ranges: (a, b) => overlapsBefore(b, a),
    },
  ),
  finishes: relation(() => say('whether the first is the end of the second'), {
    ranges: finishesRange,
    pointRange: isEnd,
  }),
  'finished by': relation(() => say('whether the first has the second as its end'), {
    ranges: (a, b) => finishesRange(b, a),
    rangePoint: (range, point) => isEnd(point, range),
  }),
  includes: relation(() => say('whether a range holds a value or another range'), {
    ranges: includesRange,
    rangePoint: includesPoint,
  }),
  during: relation(() => say('whether a value or a range lies in another range'), {
    ranges: (a, b) => includesRange(b, a),
    pointRange: (point, range) => includesPoint(range, point),
  }),
  starts: relation(() => say('whether the first is the start of the second'), {
    ranges: startsRange,
    pointRange: isStart,
  }),
  'started by': relation(() => say('whether the first has the second as its start'), {
    ranges: (a, b) => startsRange(b, a),
    rangePoint: (range, point) => isStart(point, range),
  }),
  coincides: relation(() => say('whether two values, or two ranges, are the same'), {
    ranges: (a, b) => sameStart(a, b) && sameEnd(a, b),
    points: (sign) => sign === 0,
  }),
};

/** Whether a value lies in a range; `null` where it cannot be compared with its ends. */
export function within(range: FeelRange, value: Feel): boolean | null {
  return known(range, value, () => includesPoint(range, value));
}

/** What a relation gives; `null` where an end is absent, or has no order with the other. */
function known(a: Feel, b: Feel, holds: () => boolean): boolean | null {
  const absent = (value: Feel) =>
    value === null || (value instanceof FeelRange && (value.low === null || value.high === null));
  if (absent(a) || absent(b)) return null;
  try {
    return holds();
  } catch (error) {
    if (error instanceof NoOrder) return null;
    throw error;
  }
}

function relation(
  does: () => string,
  { ranges, pointRange, rangePoint, points }: Relation,
): FeelFunction {
  const run = ([first = null, second = null]: readonly Feel[], frame: Frame<unknown>): Feel => {
    let holds: (() => boolean) | undefined;
    if (first instanceof FeelRange && second instanceof FeelRange) {
      holds = ranges && (() => ranges(first, second));
    } else if (first instanceof FeelRange) {
      holds = rangePoint && (() => rangePoint(first, second));
    } else if (second instanceof FeelRange) {
      holds = pointRange && (() => pointRange(first, second));
    } else holds = points && (() => pointsHold(points, first, second));
    return holds ? known(first, second, holds) : frame.warn('wrong_kind');
  };
  return { parameters: [any, any], gives: yesNo, does, run };
}

function pointsHold(points: (sign: number) => boolean, a: Feel, b: Feel): boolean {
  const sign = compare(a, b);
  if (sign !== null) return points(sign);
  const equal = same(a, b);
  if (equal === null) throw new NoOrder();
  return points(equal ? 0 : 1);
}
