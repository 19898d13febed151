import { DaysDuration, Decimal, isList, isRecord, MonthsDuration, type Feel } from './feel';
import type { Frame } from './frame';

/** A member of a record, of each item of a list, or of a date, a time or a duration. */
export function memberOf(of: Feel, key: string, frame: Frame<unknown>): Feel {
  if (of === null) return null;
  if (isRecord(of)) return of.member(key);
  if (isList(of)) return of.map((item) => memberOf(item, key, frame));
  if (of instanceof DaysDuration) return daysMember(of.milliseconds, key);
  if (of instanceof MonthsDuration) {
    const part = key === 'years' ? Math.trunc(of.months / 12) : of.months % 12;
    return new Decimal(part);
  }
  const name = key === 'weekday' ? 'dayOfWeek' : key;
  const part = typeof of === 'object' && name in of ? (of as never)[name] : undefined;
  return typeof part === 'number' ? new Decimal(part) : frame.warn('wrong_kind');
}

/** What a member of a record, or of each record of a list, has chosen. */
export function chosenAt(of: Feel, key: string): Feel {
  if (isList(of)) return of.map((item) => chosenAt(item, key));
  return isRecord(of) ? (of.chosenAt?.(key) ?? null) : null;
}

function daysMember(milliseconds: number, key: string): Feel {
  const seconds = Math.trunc(milliseconds / 1000);
  const parts: Record<string, number> = {
    days: Math.trunc(seconds / 86_400),
    hours: Math.trunc(seconds / 3600) % 24,
    minutes: Math.trunc(seconds / 60) % 60,
    seconds: seconds % 60,
  };
  const part = parts[key];
  return part === undefined ? null : new Decimal(part);
}

/** A member of each item of a list; `filled` leaves out the absent ones. */
export function memberOfList<H>(
  list: (frame: Frame<H>) => Feel,
  key: string,
  filled: boolean,
): (frame: Frame<H>) => Feel {
  return (f) => {
    const items = list(f);
    if (!isList(items)) return items;
    f.spend(items.length);
    const members = items.map((item) => memberOf(item, key, f));
    return filled ? members.filter((member) => member !== null) : members;
  };
}
