import { num, say, spoken } from '$lib/core/words/say';
import { totalWords } from '$lib/core/table/total-words';
import { monthName } from '$lib/core/words/month';
import {
  totalsFor,
  type GroupOrder,
  type Picture,
  type Pictured,
  type Total,
} from '$lib/core/table/view';
import type { Column } from '$lib/core/table/definition';
import { isNumeric, severalIn } from '$lib/core/values/types';

/** A column as far as a picture needs to know it. */
export type DrawnColumn = Pick<Column, 'key' | 'label' | 'type'>;

/** The columns by which rows can be drawn. */
export const drawable = <C extends DrawnColumn>(columns: readonly C[]): C[] =>
  columns.filter(({ type }) => !severalIn(type));

/** What can be drawn besides how many rows there are, each in words. */
export function drawnTotals(columns: readonly DrawnColumn[]): (Total & { label: string })[] {
  return columns
    .filter(({ type }) => isNumeric(type))
    .flatMap(({ key, label, type }) =>
      totalsFor(type)
        .filter((kind) => kind !== 'count')
        .map((kind) => ({ column: key, kind, label: `${label}, ${totalWords[kind]}` })),
    );
}

/** What a picture is of and by, in words; `rows` is how its rows are called. */
export function pictureWords(
  columns: readonly DrawnColumn[],
  { by, total }: Picture,
  rows: string,
) {
  const found = drawnTotals(columns).find((one) => sameTotal(one, total));
  const column = columns.find(({ key }) => key === by);
  const [what, byWhat] = [found?.label ?? rows, column?.label ?? by];
  return { what, byWhat, title: say(`${what} by ${byWhat}`) };
}

export const sameTotal = (a: Total | null, b: Total | null) =>
  a?.column === b?.column && a?.kind === b?.kind;

/** The parts of a picture in words, each with how much it is. */
export function partsOf(pictured: Pictured | null, whole: boolean): { label: string; n: number }[] {
  if (pictured?.kind === 'bars') return pictured.bars.map(({ label, n }) => ({ label, n }));
  if (pictured?.kind === 'months')
    return pictured.months.map(({ month, n }) => ({ label: monthName(month), n }));
  return (pictured?.bins ?? []).map(({ from, to, n }, i, all) => {
    const upTo = binEnd(to, i, all.length, whole);
    return { label: `${num(from)} – ${num(upTo)}`, n };
  });
}

/** The last number of a bin: whole numbers end before the next bin begins. */
export const binEnd = (to: number, place: number, bins: number, whole: boolean) =>
  whole && place < bins - 1 ? to - 1 : to;

/** The order of groups, behind "in order of". */
export const groupOrderWords: Record<GroupOrder, string> = spoken(() => ({
  value: say('their value'),
  value_down: say('their value, last first'),
  most: say('records, most first'),
  fewest: say('records, fewest first'),
  greatest: say('the total, greatest first'),
  least: say('the total, least first'),
}));
