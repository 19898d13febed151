<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { num } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import type { CountedQuestion } from '$lib/core/contract/counted';

  interface Props {
    bars: CountedQuestion['bars'];
    /** Whether another period is laid beside it. */
    compares?: boolean;
    /** Whether the numbers are parts of a whole, and are told as such. */
    parts?: boolean;
    /** What a bar leads to; nothing where it is left out. */
    onpick?: (place: number) => void;
  }
  let { bars, compares = false, parts = true, onpick }: Props = $props();

  const all = $derived(bars.reduce((sum, { n }) => sum + n, 0));
  const allBefore = $derived(bars.reduce((sum, { before }) => sum + before, 0));
  /** As shares where two periods are compared that need not have as many sheets. */
  const share = (n: number, of: number) => (of === 0 ? 0 : Math.max(0, n / of));
  const most = $derived(
    Math.max(...bars.flatMap((b) => [share(b.n, all), share(b.before, allBefore)]), 0.01),
  );
  const length = $derived(scaleLinear([0, most], [0, 1]));
  /** The widest bar leaves room for its number. */
  const width = (of: number) => `calc((100% - 9rem) * ${length(of)})`;
  const percent = (n: number, of: number) => `${num(Math.round(share(n, of) * 100))} %`;
</script>

<ul class="m-0 grid list-none gap-1.5 p-0">
  {#each bars as { label, n, before }, place (place)}
    <li class="grid grid-cols-[minmax(70px,32%)_1fr] items-start gap-3">
      {#if onpick}
        <Button kind="bare" class="wrap-anywhere hover:underline" onclick={() => onpick(place)}
          >{label}</Button
        >
      {:else}
        <span class="wrap-anywhere">{label}</span>
      {/if}
      <span class="grid gap-0.5 tabular-nums">
        <span class="flex items-center gap-2">
          <span class="bg-navy block h-3 shrink-0" style="width: {width(share(n, all))}"></span>
          <span class="whitespace-nowrap"
            ><b>{num(n)}</b>{parts ? ` · ${percent(n, all)}` : ''}</span
          >
        </span>
        {#if compares}
          <span class="quiet flex items-center gap-2">
            <span
              class="hatched block h-2 shrink-0"
              style="width: {width(share(before, allBefore))}"
            ></span>
            <span class="whitespace-nowrap">{num(before)} · {percent(before, allBefore)}</span>
          </span>
        {/if}
      </span>
    </li>
  {/each}
</ul>
