<script lang="ts">
  import { max } from 'd3-array';
  import { scaleLinear, scaleTime } from 'd3-scale';
  import { area, curveStepAfter, line } from 'd3-shape';
  import { dayIn } from '$lib/core/values/dates';
  import { formatValue } from '$lib/core/values/format';
  import { reader } from '$lib/core/words/reader';
  import { num, say } from '$lib/core/words/say';

  interface Props {
    /** How many records did not fit, by the moment at which that was found; the oldest first. */
    points: readonly { at: string; records: number }[];
    label: string;
    /** As high as a line, without its days. */
    small?: boolean;
  }
  /** How the records of a form have fitted: a number stands until another one is found. */
  let { points, label, small = false }: Props = $props();

  let room = $state(720);
  const width = $derived(small ? 72 : Math.max(280, room));
  const height = $derived(small ? 24 : 76);
  const foot = $derived(small ? 0 : 20);
  const now = Date.now();
  const times = $derived(points.map(({ at }) => Date.parse(at)));
  const first = $derived(times[0] ?? now);
  const x = $derived(scaleTime([first, Math.max(now, first + 1)], [2, width - (small ? 6 : 60)]));
  const y = $derived(
    scaleLinear([0, Math.max(1, max(points, ({ records }) => records) ?? 1)], [height - 3, 8]),
  );
  /** The last number goes on until today. */
  const last = $derived(points.at(-1)?.records ?? 0);
  const steps = $derived<[number, number][]>([
    ...points.map(({ records }, i): [number, number] => [times[i] ?? now, records]),
    [now, last],
  ]);
  const path = $derived(
    line<[number, number]>(
      ([at]) => x(at),
      ([, n]) => y(n),
    ).curve(curveStepAfter)(steps) ?? '',
  );
  const under = $derived(
    area<[number, number]>(
      ([at]) => x(at),
      y(0),
      ([, n]) => y(n),
    ).curve(curveStepAfter)(steps) ?? '',
  );
  const dayOf = (at: number) =>
    formatValue({ kind: 'date' }, dayIn(reader().zone, new Date(at)), reader());
</script>

<div class={small ? '' : 'w-full max-w-[900px]'} bind:clientWidth={room}>
  <svg
    viewBox="0 0 {width} {height + foot}"
    {width}
    height={height + foot}
    role="img"
    aria-label={label}
  >
    <path d={under} fill="var(--wash, var(--paper))" opacity={small ? 0 : 1} />
    <path d={path} fill="none" stroke="var(--navy)" stroke-width={small ? 1.5 : 2} />
    <circle cx={x(now)} cy={y(last)} r="3" fill="var(--marigold)" />
    {#if !small}
      <text x={x(now) + 9} y={y(last) + 5} fill="var(--ink)" font-size="15" font-weight="600">
        {num(last)}
      </text>
      <text x="2" y={height + 14} class="fill-soft" font-size="12">{dayOf(first)}</text>
      <text x={x(now)} y={height + 14} class="fill-soft" font-size="12" text-anchor="end"
        >{say('today')}</text
      >
    {/if}
  </svg>
</div>
