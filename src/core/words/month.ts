import { reader } from './reader';

/** A month (`2026-03`) as it stands at an axis: `Mar 26`, in the reader's language. */
export function monthName(month: string): string {
  const format = new Intl.DateTimeFormat(reader().locale, {
    ...{ month: 'short', year: '2-digit', timeZone: 'UTC' },
  });
  return format.format(new Date(`${month}-01T00:00:00Z`));
}
