import { problem, type Problem } from '../problems';
import { Compiler } from './compile';
import { Refused, Scope, type Mention, type Names, type Run } from './scope';
import type { Feel } from './feel';
import { Frame, mostSteps, type Budget, TooManySteps, type Clock, type WarningCode } from './frame';
import type { Kind } from './kinds';
import { readFormula } from './reading';
import { deepestFormula, wholeProblem, type FormulaProblem } from './syntax';

/** A formula made ready for any number of evaluations. */
export interface Formula<H> {
  source: string;
  kind: Kind;
  run: Run<H>;
  /** The paths that it reads, from the form: `['ensemble', 'town', 'name']`. */
  reads: readonly (readonly string[])[];
  /** The words that name fields and columns, with their places. */
  mentions: readonly Mention[];
  /** Whether it reads the day or the moment. */
  usesClock: boolean;
}

export type CompiledFormula<H> = { formula: Formula<H> } | { problem: FormulaProblem };

/**
 * Makes a formula in FEEL (DMN 1.5) ready: parses it, checks the kinds of all its parts, and turns it
 * into closures. `names` says what it may read. What is wrong comes back with its place in the text.
 */
export function compileFormula<H>(source: string, names: Names<H>): CompiledFormula<H> {
  const parsed = readFormula(source);
  if ('problem' in parsed) return parsed;
  const compiler = new Compiler(names, source);
  try {
    const { kind, run } = compiler.compile(parsed.tree, new Scope<H>());
    const { usesClock, mentions } = compiler;
    const reads = [...compiler.reads.values()];
    return { formula: { source, kind, run, reads, mentions, usesClock } };
  } catch (error) {
    if (error instanceof Refused) return { problem: error.told };
    if (error instanceof RangeError) {
      const details = { limit: deepestFormula };
      return { problem: wholeProblem(source, 'formula_too_deep', details) };
    }
    throw error;
  }
}

/** What a formula gave, with what it met on its way; or why it came to no end. */
export type Evaluated = { value: Feel; warnings: readonly WarningCode[] } | { problem: Problem };

/** Works a formula out over a host. Never throws, never hangs: it ends after a bounded number of steps. */
export function evaluate<H>(
  formula: Formula<H>,
  host: H,
  clock: Clock,
  budget?: Budget,
): Evaluated {
  const frame = new Frame(host, clock, budget);
  try {
    const value = formula.run(frame);
    return { value, warnings: frame.warnings.size === 0 ? noWarnings : [...frame.warnings] };
  } catch (error) {
    // A date that does not exist, a nesting too deep: what cannot be worked out is absent.
    if (error instanceof RangeError) return { value: null, warnings: ['out_of_range'] };
    if (!(error instanceof TooManySteps)) throw error;
    return { problem: problem('formula_too_many_steps', { limit: mostSteps }) };
  }
}

const noWarnings: readonly WarningCode[] = [];
