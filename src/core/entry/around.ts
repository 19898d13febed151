import type { Clock } from '../formula/frame';
import type { Reading } from '../values/reading';

/** What an entry is told of the world outside: the day, the person, the link by which it was opened. */
export interface Around {
  clock: Clock;
  person: string;
  link: Readonly<Record<string, string>>;
  /** How numbers and dates are written there that stand in fields as text. */
  reading: Reading;
}
