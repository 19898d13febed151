import type { StandingAsk } from '../entry/asks';
import type { Reader } from '../entry/settle';
import { askedPlan } from '../plan/asked-plan';
import { setsOf } from '../plan/asked-sheet';
import { wireForm, type WiredForm } from '../wiring/form';
import { expectedOf, judgeRehearsal, type Verdict } from './expect';
import { listening, recorded } from './heard';
import { play, type Played } from './play';
import type { Expectation, Rehearsal, Script } from './rehearsal';

/** The form as a rehearsal asks it: with the questions that were asked then. */
export function rehearsedForm(form: WiredForm, { asked }: Pick<Rehearsal, 'asked'>): WiredForm {
  if (Object.keys(asked).length === 0) return form;
  return wireForm(askedPlan(form.plan, setsOf(asked)), form.tables);
}

/** What came of playing a rehearsal. */
export interface Run {
  verdict: Verdict;
  played: Played;
  /** What the form asked and nobody had answered while it was recorded. */
  unheard: readonly StandingAsk[];
}

/** Plays a script for the first time: what came of it is what is expected from now on. */
export async function recordRehearsal(
  form: WiredForm,
  script: Script,
  reader: Reader,
  before: readonly Expectation[] = [],
): Promise<Rehearsal> {
  const { reader: noted, heard, sources } = listening(form, reader);
  const { entry, follows, lost } = await play(form, script, noted);
  const gone = new Set(lost);
  return {
    ...script,
    steps: script.steps.filter((_, i) => !gone.has(i)),
    // A step that could not be done led to nothing.
    follows: follows.filter((_, i) => i === 0 || !gone.has(i - 1)),
    expects: expectedOf(entry, before),
    ...{ heard, sources },
  };
}

/** Plays a rehearsal as it was recorded; what it asks besides goes to `otherwise`, or is not answered. */
export async function runAsRecorded(
  form: WiredForm,
  rehearsal: Rehearsal,
  otherwise?: Reader,
): Promise<Run> {
  const { reader, unheard } = recorded(form, rehearsal, otherwise);
  const played = await play(form, rehearsal, reader);
  return { verdict: judgeRehearsal(rehearsal, played), played, unheard };
}

/** Plays a rehearsal on what is stored now. */
export async function runAsNow(
  form: WiredForm,
  rehearsal: Rehearsal,
  reader: Reader,
): Promise<Run> {
  const played = await play(form, rehearsal, reader);
  return { verdict: judgeRehearsal(rehearsal, played), played, unheard: [] };
}

/** Takes what comes of a rehearsal now as what is expected: with the answers that it asked besides. */
export function acceptRehearsal(
  form: WiredForm,
  rehearsal: Rehearsal,
  otherwise: Reader,
): Promise<Rehearsal> {
  const { reader } = recorded(form, rehearsal, otherwise);
  return recordRehearsal(form, rehearsal, reader, rehearsal.expects);
}
