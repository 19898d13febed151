import { problem, ProblemError } from '$lib/core/problems';

/** An outside system answered, with a status that says it did not do what it was asked for. */
export class OutsideStatusError extends ProblemError {
  constructor(
    system: string,
    /** The status of the answer, as HTTP has it. */
    readonly answered: number,
  ) {
    super(problem('outside_status', { system, status: answered }), 502);
    this.name = 'OutsideStatusError';
  }
}

/** What a database says of itself, not of what it was asked: later it may say something else. */
const passing =
  /^ER_ACCESS_DENIED_ERROR$|ACCOUNT_HAS_BEEN_LOCKED|LOCK_|CON_COUNT|SHUTDOWN|READ_ONLY/;

/** The codes of its kinds differ where a sign-in is refused; the words do not. */
const signIn = /access denied|account is locked/i;

interface Failure {
  name?: string;
  code?: string;
  sqlMessage?: string;
}

/**
 * What went wrong with an outside system, as a problem; nothing of the secret, and no address, is told.
 * A refusal that may pass by itself has the status 503, one that a person has to mend 502.
 */
export function told(error: unknown, system: string, limit: number): ProblemError {
  if (error instanceof ProblemError) return error;
  const { name = '', code = '', sqlMessage: words } = (error ?? {}) as Failure;
  const slow =
    name === 'TimeoutError' || name === 'AbortError' || code === 'PROTOCOL_SEQUENCE_TIMEOUT';
  if (slow || (words && /max_statement_time|interrupted/i.test(words))) {
    return new ProblemError(problem('outside_slow', { system, limit }), 504);
  }
  if (!words) return new ProblemError(problem('outside_away', { system }), 502);
  const refused = problem('outside_refused', { system, reason: words });
  return new ProblemError(refused, passing.test(code) || signIn.test(words) ? 503 : 502);
}
