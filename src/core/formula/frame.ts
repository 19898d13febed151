import type { Feel } from './feel';

/** What a formula met while it was worked out; it went on with an absent value. */
export type WarningCode =
  | 'division_by_zero'
  | 'not_a_date'
  | 'not_a_number'
  | 'wrong_kind'
  | 'no_such_text_pattern'
  | 'out_of_range';

/** The day and the moment, given by the host: `2027-03-01`, `2027-03-01T14:30:00Z`. */
export interface Clock {
  today: () => string;
  now: () => string;
}

/** A text no longer than this comes out of a function, in UTF-16 units. */
export const longestResult = 1_000_000;
/** At most so many steps does one evaluation take: loops, and items that functions walk over. */
export const mostSteps = 100_000;
/** At most so many steps do all formulas take together that follow from one change. */
export const mostStepsOfChange = 3_000_000;

/** What a whole change may still cost. */
export class Budget {
  left = mostStepsOfChange;
}

/** Thrown where a formula would not end in time; `evaluate` makes a problem of it. */
export class TooManySteps extends Error {}

/** One evaluation: the host whose values are read, the variables of loops, and what it has cost. */
export class Frame<H> {
  readonly locals: Feel[] = [];
  readonly warnings = new Set<WarningCode>();
  #steps = 0;

  constructor(
    readonly host: H,
    readonly clock: Clock,
    readonly budget: Budget = new Budget(),
  ) {}

  /** Counts steps; throws {@link TooManySteps} behind the bound. */
  spend(steps: number): void {
    this.#steps += steps;
    this.budget.left -= steps;
    if (this.#steps > mostSteps || this.budget.left < 0) throw new TooManySteps();
  }

  /** Notes a warning and gives the absent value. */
  warn(code: WarningCode): null {
    this.warnings.add(code);
    return null;
  }
}
