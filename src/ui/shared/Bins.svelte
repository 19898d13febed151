<script lang="ts">
  import { scaleLinear } from 'd3-scale';
  import { num, say } from '$lib/core/words/say';
  import type { CountedQuestion } from '$lib/core/contract/counted';
  import type { Spread } from '$lib/core/values/spread';

  interface Props {
    bins: CountedQuestion['bins'];
    spread: Spread;
    spreadBefore: Spread | null;
    unit?: string;
    compares?: boolean;
    /** The bin that is pointed at. */
    at?: number | null;
  }
  let { bins, spread, spreadBefore, unit = '', compares = false, at = null }: Props = $props();

  const [width, height, foot] = [320, 74, 18];
  const x = $derived(scaleLinear([bins[0]?.from ?? 0, bins.at(-1)?.to ?? 1], [14, width - 14]));
  const most = $derived(Math.max(1, ...bins.flatMap(({ n, before }) => [n, before])));
  const y = $derived(scaleLinear([0, most], [0, height - 6]));
  const ticks = $derived(x.ticks(6));
  const middle = $derived(x(Number(spread.middle)));
  const told = $derived(
    say(
      `Half of them are from ${num(Number(spread.low))} to ${num(Number(spread.high))} ${unit}; the least is ${num(Number(spread.least))}, the greatest ${num(Number(spread.greatest))}.`,
    ),
  );
</script>

<svg
  viewBox="0 0 {width} {height + foot}"
  class="w-full max-w-[420px]"
  role="img"
  aria-label={told}
>
  <rect
    x={x(Number(spread.low))}
    y="0"
    width={Math.max(1, x(Number(spread.high)) - x(Number(spread.low)))}
    {height}
    class="fill-(--edge) opacity-35"
  />
  {#each bins as { from, to, n, before }, i (from)}
    {@const w = Math.max(1, x(to) - x(from) - 2)}
    <rect
      x={x(from) + 1}
      y={height - y(n)}
      width={compares ? w / 2 : w}
      height={y(n)}
      class={i === at ? 'fill-marigold' : 'fill-navy'}
    />
    {#if compares}
      <rect
        x={x(from) + 1 + w / 2}
        y={height - y(before)}
        width={w / 2}
        height={y(before)}
        class="fill-(--link) opacity-45"
      />
    {/if}
  {/each}
  <line x1={middle} x2={middle} y1="0" y2={height} class="stroke-marigold" stroke-width="2" />
  {#if spreadBefore}
    {@const was = x(Number(spreadBefore.middle))}
    <line x1={was} x2={was} y1="0" y2={height} class="stroke-marigold" stroke-dasharray="3 3" />
  {/if}
  <line x1="0" x2={width} y1={height} y2={height} class="stroke-soft" />
  {#each ticks as tick (tick)}
    {@const ends = x(tick) > width - 24}
    <text
      x={ends ? width : x(tick)}
      y={height + 14}
      text-anchor={ends ? 'end' : 'middle'}
      class="fill-soft text-[11px]"
    >
      {num(tick)}
    </text>
  {/each}
</svg>
