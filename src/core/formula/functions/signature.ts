import type { Feel } from '../feel';
import type { Frame } from '../frame';
import type { Kind } from '../kinds';

/** A function of the language (DMN 1.5, chapter 10.3.4, where nothing else is said). */
export interface FeelFunction {
  /** The kinds it takes, by position. */
  parameters: readonly Kind[];
  /** How many of these may be left out, from the end. */
  optional?: number;
  /** Takes any number more of this kind. */
  rest?: Kind;
  gives: Kind | ((given: readonly Kind[]) => Kind);
  /** Works with absent values; the others give an absent value for one. */
  withAbsent?: boolean;
  run: (given: readonly Feel[], frame: Frame<unknown>) => Feel;
  /** What it does, for the editor. */
  does: () => string;
}

export type FeelFunctions = Record<string, FeelFunction>;
