import { undoneAnswer } from '$lib/core/contract/answers';
import { say } from '$lib/core/words/say';
import { call } from './api';

/** What has just been done, told in a corner of the page, with what can still be done about it. */
export interface Told {
  text: string;
  /** What it was done to. */
  link?: { label: string; href: string } | undefined;
  action?: { label: string; run: () => void | Promise<void> } | undefined;
}

let current = $state.raw<Told | null>(null);

/** What is told now; the next takes its place. */
export function told(): Told | null {
  return current;
}

export function tell(what: Told | null): void {
  current = what;
}

/** Tells what was saved, and lets it be undone; `after` follows an undo. */
export function tellSaved(what: Told, submission: string, after: () => void): void {
  tell({ ...what, action: { label: say('Undo'), run: () => undo(submission, after) } });
}

async function undo(submission: string, after: () => void): Promise<void> {
  const called = await call(undoneAnswer, `/api/saves/${submission}/undo`, { body: {} });
  const [first] = called.ok ? [] : called.problems;
  tell({ text: first ? `${first.message} ${first.hint}` : say('Undone.') });
  if (called.ok) after();
}
