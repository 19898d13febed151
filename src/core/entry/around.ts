import type { Clock } from '../formula/frame';
import type { PersonFacts } from './person';
import type { Reading } from '../values/reading';

/** What an entry is told of the world outside: the day, the person, the link by which it was opened. */
export interface Around {
  clock: Clock;
  /** What is known of whoever fills it in; of a guest the name alone. */
  person: PersonFacts;
  link: Readonly<Record<string, string>>;
  /** How numbers and dates are written there that stand in fields as text. */
  reading: Reading;
}
