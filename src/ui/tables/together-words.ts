import { num, plural, say } from '$lib/core/words/say';
import { isListLike, nearly, type ColumnProfile, type Looks } from '$lib/core/formats/csv-profile';
import type { ValueType } from '$lib/core/values/types';

/** What the data of a column show, in a few words; nothing where there is nothing to say. */
export function evidenceOf(
  profile: ColumnProfile,
  { kind }: ValueType,
  /** How many different values it has, where that is worth telling. */
  different = 0,
): string {
  const { filled, empty, distinct, unique, numbers, days, zeros } = profile;
  if (filled === 0) return say('nothing in it');
  const gaps = empty === 0 ? say('none empty') : say(`${num(empty)} empty`);
  if (kind === 'text' || kind === 'long_text') {
    if (zeros > 0) return say(`${num(zeros)} begin with 0: a code, no number`);
    const [n, of] = [num(filled), (looks: Looks) => num(looks.count)];
    if (nearly(profile, numbers))
      return say(`${of(numbers)} of ${n} are numbers; “${numbers.against}” is not`);
    if (nearly(profile, days))
      return say(`${of(days)} of ${n} are dates; “${days.against}” is not`);
  }
  if (unique && filled > 1) return say(`${num(filled)} different values, ${gaps}`);
  const several = isListLike(profile) ? distinct.length : different;
  if (several > 0) {
    return say(`${plural(several, ['# different value', '# different values'])}, ${gaps}`);
  }
  const some = profile.examples.slice(0, 2).join(', ');
  return empty === 0 ? some : `${some} · ${gaps}`;
}
