import { problem, type Problem } from '../problems';
import { formatValue } from '../values/format';
import { reader } from '../words/reader';
import type { Takes } from './schema';

/** Why a form takes no records at a moment (ISO 8601, UTC); `null` where it does. */
export function closedAt(takes: Takes | undefined, now: string): Problem | null {
  if (!takes) return null;
  const { from, until } = takes;
  if (from !== null && Date.parse(now) < Date.parse(from)) {
    const moment = formatValue({ kind: 'date_time' }, from, reader());
    return said(takes, problem('form_not_open', { moment }));
  }
  return until !== null && Date.parse(now) >= Date.parse(until)
    ? said(takes, problem('form_closed'))
    : null;
}

/** Why a form takes no further record: it has as many as it may have. */
export function full(takes: Takes, whose: 'all' | 'own'): Problem {
  return said(takes, problem(whose === 'all' ? 'form_full' : 'form_full_each'));
}

/** A closed form says what its designer wrote, where they did. */
function said({ closed }: Takes, found: Problem): Problem {
  return closed === '' ? found : { ...found, message: closed, hint: '' };
}
