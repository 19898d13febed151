<script lang="ts">
  import { line as lineOf } from 'd3-shape';
  import { scaleLinear, scalePoint } from 'd3-scale';
  import { num } from '$lib/core/words/say';
  import type { CountedQuestion } from '$lib/core/contract/counted';
  import { reader } from '$lib/core/words/reader';

  interface Props {
    months: CountedQuestion['months'];
    label: string;
    compares: boolean;
  }
  let { months, label, compares }: Props = $props();

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
  const name = (month: string) =>
    new Intl.DateTimeFormat(reader().locale, {
      month: 'short',
      year: '2-digit',
      timeZone: 'UTC',
    }).format(new Date(`${month}-01T00:00:00Z`));
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
    <circle cx={x(month)} cy={y(n)} r="2.5" class="fill-navy"
      ><title>{name(month)}: {num(n)}</title></circle
    >
    {#if i % every === 0}
      <text x={x(month)} y={height + 14} text-anchor="middle" class="fill-soft text-[11px]">
        {name(month)}
      </text>
    {/if}
  {/each}
</svg>
