import { num, plural, say } from '$lib/core/words/say';
import type { Looks } from '$lib/core/formats/csv-profile';
import type { ComingTable } from './together.svelte';

/** What the data of a column show, in a few words; nothing where there is nothing to say. */
export function evidenceOf(table: ComingTable, i: number): string {
  const profile = table.profiles[i];
  const column = table.columns[i];
  if (!profile || !column) return '';
  const { filled, empty, distinct, unique, numbers, days, zeros } = profile;
  if (filled === 0) return say('nothing in it');
  const gaps = empty === 0 ? say('none empty') : say(`${num(empty)} empty`);
  const { kind } = column.type;
  if (kind === 'text' || kind === 'long_text') {
    if (zeros > 0) return say(`${num(zeros)} begin with 0: a code, no number`);
    const [n, of] = [num(filled), (looks: Looks) => num(looks.count)];
    const nearly = ({ count, against }: Looks) => against !== null && count >= filled * mostly;
    if (nearly(numbers))
      return say(`${of(numbers)} of ${n} are numbers; “${numbers.against}” is not`);
    if (nearly(days)) return say(`${of(days)} of ${n} are dates; “${days.against}” is not`);
  }
  if (unique && filled > 1) return say(`${num(filled)} different values, ${gaps}`);
  if (distinct.length > 0 && filled >= distinct.length * 3) {
    return say(`${plural(distinct.length, ['# value', '# values'])}, ${gaps}`);
  }
  const some = profile.examples.slice(0, 2).join(', ');
  return empty === 0 ? some : `${some} · ${gaps}`;
}

/** Fewer than this speak for nothing. */
const mostly = 0.6;
