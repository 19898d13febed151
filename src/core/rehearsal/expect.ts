import { Decimal } from 'decimal.js';
import { planSave } from '../entry/all-problems';
import type { Entry } from '../entry/entry';
import type { Cell } from '../entry/host-state';
import type { PlannedWrite } from '../entry/planned-write';
import type { Value } from '../values/types';
import { mailPlan } from '../entry/mail-plan';
import { sendPlan } from '../entry/send-plan';
import { hostsOf, type Played } from './play';
import { isSent, type Expectation, type Json, type Rehearsal } from './rehearsal';

type Seen = Omit<Expectation, 'how'>;

/** What was expected of one thing and what came, with the step after which it came to be another; 0 is the beginning. */
export interface Judged extends Expectation {
  /** What came; `undefined` where nothing did. */
  came: Json | undefined;
  fits: boolean;
  /** Whether it was not expected at all. */
  unexpected: boolean;
  /** Of what does not fit: the number of the step after which it parted; `null` where that is not known. */
  step: number | null;
}

/** What became of a rehearsal. */
export interface Verdict {
  holds: boolean;
  lines: Judged[];
  /** The steps that could not be done. */
  lost: readonly number[];
}

/** All that is seen of an entry at rest: its values, what is offered, what is wrong, what would be written and sent. */
export function seenOf(entry: Entry): Seen[] {
  const seen: Seen[] = [];
  for (const [host, prefix] of hostsOf(entry)) {
    for (const cell of host.cells) {
      const at = `${prefix}${cell.wired.field.key}`;
      if (cell.hidden) {
        seen.push({ of: 'hidden', at, is: true });
        continue;
      }
      seen.push({ of: 'value', at, is: jsonOf(cell.value) });
      const offered = offeredOf(entry, cell);
      if (offered !== undefined) seen.push({ of: 'offers', at, is: offered });
    }
  }
  const { writes, problems } = planSave(entry);
  const codes = new Map<string, Set<string>>();
  for (const { path, code } of problems) {
    codes.set(path, (codes.get(path) ?? new Set<string>()).add(code));
  }
  for (const [at, found] of codes) seen.push({ of: 'problem', at, is: [...found].sort() });
  for (const write of writes) seen.push({ of: 'write', at: write.path, is: writtenAs(write) });
  for (const send of sendPlan(entry)) seen.push({ of: 'send', at: '', is: jsonOf(send) });
  for (const mail of mailPlan(entry)) seen.push({ of: 'mail', at: '', is: jsonOf(mail) });
  return seen;
}

/** What is expected of a rehearsal that has just come out right; what was loosened before stays so. */
export function expectedOf(entry: Entry, before: readonly Expectation[] = []): Expectation[] {
  const loosened = new Map(named(before).map(([name, { how }]) => [name, how]));
  return named(seenOf(entry)).map(([name, seen]) => ({
    ...seen,
    how: loosened.get(name) ?? 'is',
  }));
}

/** Holds what came of a rehearsal against what is expected of it. */
export function judgeRehearsal(
  { expects, follows }: Pick<Rehearsal, 'expects' | 'follows'>,
  played: Played,
): Verdict {
  const came = new Map(named(seenOf(played.entry)));
  const lines = named(expects).map(([name, expected]): Judged => {
    const seen = came.get(name);
    came.delete(name);
    const fits = meets(expected, seen?.is);
    const step = fits ? null : partedAt(follows, played.follows, expected.at);
    return { ...expected, came: seen?.is, fits, unexpected: false, step };
  });
  for (const seen of came.values()) {
    // A field that came to the form since was not expected, and says nothing against it.
    if (seen.of !== 'problem' && !isSent(seen.of)) continue;
    lines.push({
      ...{ of: seen.of, at: seen.at, how: 'is', is: null, came: seen.is },
      ...{ fits: false, unexpected: true, step: null },
    });
  }
  const { lost } = played;
  return { holds: lost.length === 0 && lines.every(({ fits }) => fits), lines, lost };
}

/** Things seen, each by a name of its own: of those that are alike, by which of them it is. */
function named<T extends Seen>(all: readonly T[]): [string, T][] {
  const alike = new Map<string, number>();
  return all.map((one) => {
    const name = nameOf(one);
    const nth = alike.get(name) ?? 0;
    alike.set(name, nth + 1);
    return [`${name} ${nth}`, one];
  });
}

/** Two things seen at one place are one; of what is written at one place, that to each table; of what is sent, to each system. */
function nameOf({ of, at, is }: Seen): string {
  const { table, connection } = (isSent(of) ? is : {}) as { table?: string; connection?: string };
  const where = table ?? connection ?? '';
  // What is shown and what is not is one thing of a field.
  return `${of === 'hidden' ? 'value' : of} ${at} ${where}`;
}

/** After which step a place first held another value than it was recorded with; 0 is the beginning. */
function partedAt(
  recorded: Rehearsal['follows'],
  came: Played['follows'],
  at: string,
): number | null {
  let [was, is]: [Value, Value] = [null, null];
  for (let i = 0; i < Math.max(recorded.length, came.length); i++) {
    was = after(was, recorded[i], at);
    is = after(is, came[i], at);
    if (JSON.stringify(was) !== JSON.stringify(is)) return i;
  }
  return null;
}

function after(before: Value, changes: Record<string, Value> | undefined, at: string): Value {
  const now = changes?.[at];
  return now === undefined ? before : now;
}

function meets({ how, is }: Expectation, came: Json | undefined): boolean {
  if (how === 'any') return true;
  if (came === undefined) return false;
  if (JSON.stringify(is) === JSON.stringify(came)) return true;
  if (how === 'is') return false;
  const order = compared(is, came);
  return order !== null && (how === 'at_least' ? order >= 0 : order <= 0);
}

/** How what came stands to what was expected: below zero where it is less; `null` where they have no order. */
function compared(expected: Json, came: Json): number | null {
  const [a, b] = [numberOf(expected), numberOf(came)];
  if (a && b) return b.comparedTo(a);
  if (typeof expected !== 'string' || typeof came !== 'string') return null;
  return came < expected ? -1 : came > expected ? 1 : 0;
}

function numberOf(given: Json): Decimal | null {
  // Of lists the number of what is in them counts.
  if (Array.isArray(given)) return new Decimal(given.length);
  if (typeof given !== 'number' && typeof given !== 'string') return null;
  return /^-?\d+(\.\d+)?$/.test(String(given)) ? new Decimal(given) : null;
}

/** What a field offers: how many of a list that is read, and which of one that is at hand; `undefined` for none. */
function offeredOf(entry: Entry, cell: Readonly<Cell>): Json | undefined {
  const { key } = cell.wired.field;
  const row = cell.host === entry.root ? undefined : cell.host;
  const { choices } = cell;
  if (choices.status === 'offered' || choices.status === 'empty') return choices.offer.found;
  if (choices.status === 'waiting') return 'waits';
  const options = entry.options(key, row);
  return options ? options.map(({ value }) => value) : undefined;
}

function writtenAs({ action, table, values }: PlannedWrite): Json {
  const sorted = Object.entries(values).sort(([a], [b]) => (a < b ? -1 : 1));
  return { action, table, values: jsonOf(Object.fromEntries(sorted)) };
}

const jsonOf = (value: unknown): Json => JSON.parse(JSON.stringify(value)) as Json;
