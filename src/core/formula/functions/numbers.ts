import { say } from '../../words/say';
import { isNumber } from '../feel';
import type { Decimal as BaseDecimal } from 'decimal.js';
import { DaysDuration, Decimal, MonthsDuration, type Feel } from '../feel';
import { any, number, yesNo, type Kind } from '../kinds';
import type { FeelFunction, FeelFunctions } from './signature';

const zero = new Decimal(0);
const mostPlaces = 40;

export const numberFunctions: FeelFunctions = {
  decimal: rounds(Decimal.ROUND_HALF_EVEN, () =>
    say('rounds to so many places, halves to the even digit'),
  ),
  floor: rounds(Decimal.ROUND_FLOOR, () => say('rounds down')),
  ceiling: rounds(Decimal.ROUND_CEIL, () => say('rounds up')),
  'round up': rounds(Decimal.ROUND_UP, () => say('rounds away from zero')),
  'round down': rounds(Decimal.ROUND_DOWN, () => say('rounds towards zero')),
  'round half up': rounds(Decimal.ROUND_HALF_UP, () => say('rounds, halves away from zero')),
  'round half down': rounds(Decimal.ROUND_HALF_DOWN, () => say('rounds, halves towards zero')),
  abs: {
    parameters: [any],
    gives: ([given]) => given ?? number,
    does: () => say('the number, or the duration, without its sign'),
    run: ([n], frame) => {
      if (isNumber(n)) return n.abs();
      if (n instanceof DaysDuration) return new DaysDuration(Math.abs(n.milliseconds));
      if (n instanceof MonthsDuration) return new MonthsDuration(Math.abs(n.months));
      return frame.warn('wrong_kind');
    },
  },
  sqrt: plain(
    () => say('the square root'),
    (n) => (n.isNegative() ? null : n.sqrt()),
  ),
  log: plain(
    () => say('the natural logarithm'),
    (n) => (n.greaterThan(0) ? n.ln() : null),
  ),
  exp: plain(
    () => say('e to the power of the number'),
    (n) => (n.abs().lessThan(20_000) ? n.exp() : null),
  ),
  odd: test(
    () => say('whether the number is odd'),
    (n) => n.modulo(2).abs().equals(1),
  ),
  even: test(
    () => say('whether the number is even'),
    (n) => n.modulo(2).isZero(),
  ),
  modulo: {
    parameters: [number, number],
    gives: number,
    does: () => say('what a division leaves, with the sign of the divisor'),
    run: ([dividend, divisor], frame) => {
      const [a, b] = [dividend as Decimal, divisor as Decimal];
      if (b.isZero()) return frame.warn('division_by_zero');
      return a.minus(b.times(a.dividedBy(b).floor()));
    },
  },
};

/** A number, or nothing where it is none (not finite). */
function finite(n: Decimal | null): Feel {
  return n !== null && n.isFinite() ? n : null;
}

function rounds(rounding: BaseDecimal.Rounding, does: () => string): FeelFunction {
  return {
    parameters: [number, number],
    optional: 1,
    gives: number,
    does,
    run: ([given, places]) => {
      const scale = (places ?? zero) as Decimal;
      if (!scale.isInteger() || scale.abs().greaterThan(mostPlaces)) return null;
      const n = given as Decimal;
      if (!scale.isNegative()) return n.toDecimalPlaces(scale.toNumber(), rounding);
      const unit = new Decimal(10).pow(scale.neg());
      return n.dividedBy(unit).toDecimalPlaces(0, rounding).times(unit);
    },
  };
}

function plain(does: () => string, run: (n: Decimal) => Decimal | null): FeelFunction {
  return { parameters: [number], gives: number, does, run: ([n]) => finite(run(n as Decimal)) };
}

function test(does: () => string, run: (n: Decimal) => boolean): FeelFunction {
  const gives: Kind = yesNo;
  return { parameters: [number], gives, does, run: ([n]) => run(n as Decimal) };
}
