import { dayIn } from '../values/dates';
import { reader } from '../words/reader';
import type { Clock } from './frame';

/** A clock over whatever tells the moment: the day is that of the reader's zone, the moment in UTC. */
export function clockFrom(moment: () => Date, zone = () => reader().zone): Clock {
  return {
    today: () => dayIn(zone(), moment()),
    now: () =>
      moment()
        .toISOString()
        .replace(/\.\d{3}Z$/, 'Z'),
  };
}
