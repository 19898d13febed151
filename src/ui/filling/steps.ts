import type { EntryState } from '$lib/core/entry/state';

/** How many steps can be undone. */
const most = 100;

/** A state of an entry, and what was changed last to get there. */
interface Step {
  state: EntryState;
  /** The field, by its path; empty where it was more than one. */
  path: string;
}

/**
 * The steps in which an entry was filled, for undo and redo. What is typed into one field without a change
 * elsewhere between is one step.
 */
export class Steps {
  #past: Step[] = [];
  #now: Step;
  #future: Step[] = [];

  constructor(state: EntryState) {
    this.#now = { state, path: '' };
  }

  get canUndo(): boolean {
    return this.#past.length > 0;
  }

  get canRedo(): boolean {
    return this.#future.length > 0;
  }

  /** Takes note of the entry as it is now, after a change at `path`. */
  note(state: EntryState, path: string): void {
    if (JSON.stringify(state) === JSON.stringify(this.#now.state)) return;
    const goesOn = path !== '' && path === this.#now.path;
    if (!goesOn) this.#past = [...this.#past, this.#now].slice(-most);
    this.#now = { state, path };
    this.#future = [];
  }

  /** Takes note of what the entry has come to by itself: what was undone can still be redone. */
  settle(state: EntryState): void {
    this.#now = { ...this.#now, state };
  }

  /** The state before the last step; `null` where there is none. */
  undo(): EntryState | null {
    const before = this.#past.pop();
    if (!before) return null;
    this.#future.push(this.#now);
    // What is typed next is a step of its own.
    this.#now = { ...before, path: '' };
    return before.state;
  }

  redo(): EntryState | null {
    const after = this.#future.pop();
    if (!after) return null;
    this.#past.push(this.#now);
    this.#now = { ...after, path: '' };
    return after.state;
  }
}
