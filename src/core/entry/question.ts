import type { Problem } from '../problems';
import type { Offer } from './asks';

/** What is known of the choices of a field that takes them from a table. */
export type ChoicesState =
  /** Nothing was asked yet; the list is read when it is opened. */
  | { status: 'idle' }
  /** A narrowing field is empty. */
  | { status: 'waiting'; for: string }
  | { status: 'asking' }
  | { status: 'offered' | 'empty'; offer: Offer }
  | { status: 'failed'; problem: Problem };

/** A question of a cell: what was asked last, and whether that was answered. */
export interface Question {
  /** The ask that is out, or must go out. */
  asked: string | null;
  /** What the last answer was given for. */
  answeredFor: string | null;
  failed: Problem | null;
  /** The field whose change led to it. */
  cause: string | null;
}
