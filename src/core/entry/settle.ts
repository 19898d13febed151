import { problem, ProblemError } from '../problems';
import type { Answer, StandingAsk } from './asks';
import type { Entry } from './entry';

/** Answers asks from wherever the data are; a failed read is an answer too (`failed`). */
export type Reader = (asks: readonly StandingAsk[]) => Promise<Answer[]>;

/**
 * Lets an entry ask and be answered until it asks no more. Gives all answers in the order in which
 * they came. Throws `not_settled` where the end is not reached within the bound.
 */
export async function settle(entry: Entry, reader: Reader): Promise<Answer[]> {
  const all: Answer[] = [];
  const bound = entry.form.graph.nodes.length + 2;
  for (let round = 0; round < bound; round++) {
    const asks = entry.asks();
    if (asks.length === 0) return all;
    const answers = await reader(asks);
    const answered = new Set(answers.map((answer) => answer.id));
    const unanswered = asks.filter((ask) => !answered.has(ask.id));
    const complete = [...answers, ...unanswered.map((ask) => notAnswered(entry, ask))];
    all.push(...complete);
    entry.answer(complete);
  }
  throw new ProblemError(problem('not_settled', { rounds: bound }));
}

function notAnswered(entry: Entry, ask: StandingAsk): Answer {
  const label = entry.form.fields.get(ask.field)?.field.label ?? ask.field;
  return { id: ask.id, failed: problem('read_failed', { label }, ask.field) };
}
