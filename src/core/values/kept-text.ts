import { absent, formatValue } from './format';
import { checkValue } from './parse';
import { isLink, referredIds, type Value, type ValueType } from './types';
import { listed, say } from '../words/say';
import type { Reader } from '../words/reader';

/**
 * A value that was kept some time ago, as a person reads it. Its column may have had another type then: what is none of
 * the type that it has now is shown as it was written.
 * @param nameOf what a record is called; nothing where it is gone.
 */
export function keptText(
  type: ValueType,
  value: Value,
  reader: Reader,
  nameOf: (table: string, id: number) => string | undefined = () => undefined,
): string {
  if (value === null) return absent;
  if (isLink(type)) {
    const ids = referredIds(value);
    if (ids.length > 0) {
      return listed(ids.map((id) => nameOf(type.table, id) ?? say('a record that is gone')));
    }
  } else if ('value' in checkValue(type, value, '')) return formatValue(type, value, reader);
  if (typeof value === 'boolean') return value ? say('yes') : say('no');
  return typeof value === 'object' ? absent : String(value);
}
