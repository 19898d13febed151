import { say } from './say';

/** What stands in the place of a record's name for somebody who may not see that record. */
export function unseenRecord(): string {
  return say('not visible to you');
}
