import { scaleLinear } from 'd3-scale';
import { z } from 'zod';

/** Numbers in a few words; decimals as text. */
export const spreadSchema = z.object({
  least: z.string(),
  low: z.string(),
  middle: z.string(),
  high: z.string(),
  greatest: z.string(),
});
export type Spread = z.infer<typeof spreadSchema>;

/** About so many bins of numbers. */
const someBins = 12;

/** A number with how often it is there; in order. */
export interface Counts {
  number: number;
  n: number;
}

/** Least, greatest and quartiles, between two numbers in proportion. */
export function spreadOf(counts: readonly Counts[]): Spread {
  const all = counts.reduce((sum, { n }) => sum + n, 0);
  const nth = (place: number) => {
    let before = 0;
    return counts.find(({ n }) => (before += n) > place)?.number ?? 0;
  };
  const at = (share: number) => {
    const place = share * (all - 1);
    const low = nth(Math.floor(place));
    return plain(low + (nth(Math.ceil(place)) - low) * (place % 1));
  };
  return { least: at(0), low: at(0.25), middle: at(0.5), high: at(0.75), greatest: at(1) };
}

/** How many numbers lie in each bin. */
export function binned(counts: readonly Counts[], edges: readonly number[]): Map<number, number> {
  const [from = 0, next = 1] = edges;
  const bins = new Map<number, number>();
  for (const { number, n } of counts) {
    const place = Math.floor((number - from) / (next - from));
    const bin = Math.max(0, Math.min(edges.length - 2, place));
    bins.set(bin, (bins.get(bin) ?? 0) + n);
  }
  return bins;
}

/** A number as it is written, without zeros that say nothing. */
function plain(found: unknown): string {
  return String(Number(Number(found).toFixed(4)));
}

/** The bounds of bins over numbers, at round places. */
export function edgesOf(least: number, greatest: number): number[] {
  if (least === greatest) return [least, least + 1];
  const ticks = scaleLinear([least, greatest], [0, 1]).nice(someBins).ticks(someBins);
  return ticks.length > 1 ? ticks : [least, greatest];
}
