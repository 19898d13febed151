import type { Clock } from './frame';

/** A clock over whatever tells the moment: the day is that of the machine's own zone, the moment in UTC. */
export function clockFrom(moment: () => Date): Clock {
  const two = (n: number) => String(n).padStart(2, '0');
  return {
    today: () => {
      const at = moment();
      const year = String(at.getFullYear()).padStart(4, '0');
      return `${year}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
    },
    now: () =>
      moment()
        .toISOString()
        .replace(/\.\d{3}Z$/, 'Z'),
  };
}
