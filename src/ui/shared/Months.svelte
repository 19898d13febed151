<script lang="ts">
  import { line as lineOf } from 'd3-shape';
  import { scaleLinear, scalePoint } from 'd3-scale';
  import { num } from '$lib/core/words/say';
  import type { CountedQuestion } from '$lib/core/contract/counted';
  import { monthName } from '$lib/core/words/month';

  interface Props {
    months: CountedQuestion['months'];
    label: string;
    compares?: boolean;
    /** The month that is pointed at. */
    at?: number | null;
  }
  let { months, label, compares = false, at = null }: Props = $props();

  const [width, height, foot] = [320, 70, 18];
  const x = $derived(
    scalePoint(
      months.map(({ month }) => month),
      [12, width - 12],
    ),
  );
  const most = $derived(Math.max(1, ...months.flatMap(({ n, before }) => [n, before])));
  const y = $derived(scaleLinear([0, most], [height - 4, 8]));
  const path = (of: 'n' | 'before') =>
    lineOf<CountedQuestion['months'][number]>(
      (one) => x(one.month) ?? 0,
      (one) => y(one[of]),
    )(months) ?? '';
  /** A few months are named, the others stand between them. */
  const every = $derived(Math.max(1, Math.ceil(months.length / 6)));
</script>

<svg
  viewBox="0 0 {width} {height + foot}"
  class="w-full max-w-[420px]"
  role="img"
  aria-label={label}
>
  {#if compares}
    <path
      d={path('before')}
      fill="none"
      class="stroke-(--link) opacity-60"
      stroke-dasharray="4 3"
    />
  {/if}
  <path d={path('n')} fill="none" class="stroke-navy" stroke-width="2" />
  {#each months as { month, n }, i (month)}
    <circle
      cx={x(month)}
      cy={y(n)}
      r={i === at ? 4.5 : 2.5}
      class={i === at ? 'fill-marigold' : 'fill-navy'}
      ><title>{monthName(month)}: {num(n)}</title></circle
    >
    {#if i % every === 0}
      <text
        x={i === 0 ? 0 : x(month)}
        y={height + 14}
        text-anchor={i === 0 ? 'start' : 'middle'}
        class="fill-soft text-[11px]"
      >
        {monthName(month)}
      </text>
    {/if}
  {/each}
</svg>
