import { problem, ProblemError } from '$lib/core/problems';

/** What went wrong with an outside system, as a problem; nothing of the secret, and no address, is told. */
export function told(error: unknown, system: string, limit: number): ProblemError {
  if (error instanceof ProblemError) return error;
  const { name = '', code = '' } = (error ?? {}) as { name?: string; code?: string };
  const slow =
    name === 'TimeoutError' || name === 'AbortError' || code === 'PROTOCOL_SEQUENCE_TIMEOUT';
  const words = (error as { sqlMessage?: string }).sqlMessage;
  if (slow || (words && /max_statement_time|interrupted/i.test(words))) {
    return new ProblemError(problem('outside_slow', { system, limit }), 504);
  }
  if (words) return new ProblemError(problem('outside_refused', { system, reason: words }), 502);
  return new ProblemError(problem('outside_away', { system }), 502);
}
