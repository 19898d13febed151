import { dayNames, monthNames } from '../formula/functions/dates';
import type { Option } from '../values/types';
import type { OptionList } from './option-list';

/** The lists that come with the product (J2); time zones are those that the machine knows. */
export function shippedLists(timeZones: readonly string[]): OptionList[] {
  const list = (key: string, title: string, category: string, values: Option[]): OptionList => ({
    key,
    title,
    category,
    note: '',
    of: null,
    values,
  });
  return [
    list('weekdays', 'Weekdays', 'Calendar', numbered(dayNames)),
    list('months', 'Months', 'Calendar', numbered(monthNames)),
    list('time_zones', 'Time zones', 'Calendar', timeZones.map(zone)),
    list('yes_no_unknown', 'Yes, no, unknown', 'Answers', answers),
    list('ratings', 'Ratings', 'Answers', ratings),
  ];
}

const answers: Option[] = [
  { value: 'yes', label: 'yes', tone: 'moss' },
  { value: 'no', label: 'no', tone: 'crimson' },
  { value: 'unknown', label: 'unknown', tone: 'slate' },
];
const ratings: Option[] = [
  { value: '1', label: 'poor', tone: 'crimson' },
  { value: '2', label: 'fair', tone: 'marigold' },
  { value: '3', label: 'good', tone: 'slate' },
  { value: '4', label: 'very good', tone: 'moss' },
  { value: '5', label: 'excellent', tone: 'moss' },
];

/** Stored by their place, as ISO 8601 counts weekdays and months. */
function numbered(labels: readonly string[]): Option[] {
  return labels.map((label, i) => ({ value: String(i + 1), label }));
}

function zone(name: string): Option {
  return { value: name, label: name.replace(/_/g, ' ') };
}
