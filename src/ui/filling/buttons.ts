import { say } from '$lib/core/words/say';
import { nothingWanted } from '$lib/core/contract/answers';
import { isOffered, openAddress, setValue } from '$lib/core/entry/send-plan';
import { sentPart } from '$lib/core/entry/state';
import type { AskedHashes } from '$lib/core/plan/asked-sheet';
import type { Problem } from '$lib/core/problems';
import type { WiredButton } from '$lib/core/wiring/buttons';
import { call } from '$lib/ui/shared/api';
import type { EntrySession } from './session.svelte';

/** What the steps of a button need of the place in which it stands. */
export interface Pressing {
  session: EntrySession;
  /** Saves; gives whether it was saved. `null` where nothing is written: the form is only tried. */
  save: (() => Promise<boolean>) | null;
  /** Has the server tell outside systems; gives what went wrong. */
  tell: (button: string) => Promise<readonly Problem[]>;
  /** Opens a page. */
  open: (address: string) => void;
}

/** What came of pressing a button. */
export interface Pressed {
  /** What to say; empty where it needs no words. */
  told: string;
  problems: readonly Problem[];
}

/** Has the server tell outside systems what a button tells them, from the entry as it stands; gives what went wrong. */
export async function tellButton(
  session: EntrySession,
  at: string,
  under: { edition: number; asked?: AskedHashes },
  button: string,
): Promise<readonly Problem[]> {
  await session.reads.settled();
  const state = session.entry.state();
  const rows = Object.entries(state.rows).map(([grid, list]) => [
    grid,
    list.map(({ key, of, values, own, texts }) => ({ key, of, values, own, texts })),
  ]);
  const submission = crypto.randomUUID();
  const body = { submission, ...under, ...sentPart(state), rows: Object.fromEntries(rows) };
  const called = await call(nothingWanted, `${at}/buttons/${button}`, { body });
  return called.ok ? [] : called.problems;
}

/** The buttons that are there for the entry as it stands. */
export function offeredButtons(session: EntrySession): WiredButton[] {
  return session.form.buttons.filter((button) => isOffered(session.entry, button));
}

/** Takes the steps of a button one after the other; the first that fails is the last. */
export async function press(
  { key, steps }: WiredButton,
  { session, save, tell, open }: Pressing,
): Promise<Pressed> {
  const told: string[] = [];
  // What a later step opens is worked out before a save gives the form up.
  const opens = steps.find((step) => step.do === 'open');
  let heard = false;
  for (const step of steps) {
    switch (step.do) {
      case 'set': {
        const made = setValue(session.entry, step);
        if (made && 'problem' in made) return { told: '', problems: [made.problem] };
        if (made) session.set(step.field, made.value);
        break;
      }
      case 'ask':
        session.askAgain();
        break;
      case 'save':
        if (!save) told.push(say('saving is skipped in the live form'));
        else if (!(await save())) return { told: '', problems: [] };
        break;
      case 'tell': {
        // All that a button tells goes together, under one key.
        if (!save) told.push(say('sending is skipped in the live form'));
        if (!save || heard) break;
        heard = true;
        const problems = await tell(key);
        if (problems.length > 0) return { told: '', problems };
        told.push(say('sent; see the outbox'));
        break;
      }
      case 'open':
        break;
    }
  }
  if (opens && save) open(openAddress(session.entry, opens));
  else if (opens) told.push(say(`${opens.form} would be opened`));
  const [first = '', ...others] = told;
  const sentence = [first.charAt(0).toUpperCase() + first.slice(1), ...others].join('; ');
  return { told: sentence === '' ? '' : `${sentence}.`, problems: [] };
}
