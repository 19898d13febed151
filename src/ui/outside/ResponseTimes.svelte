<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import { scaleLinear } from 'd3-scale';

  interface Props {
    /** How it was asked, newest first. */
    asked: readonly { at: string; took: number; failed: string | null }[];
  }
  let { asked }: Props = $props();

  const [width, height, left, bottom] = [640, 120, 44, 18];
  const shown = $derived([...asked].reverse());
  const slowest = $derived(Math.max(100, ...shown.map(({ took }) => took)));
  const x = $derived(
    scaleLinear()
      .domain([0, Math.max(1, shown.length - 1)])
      .range([left + 4, width - 6]),
  );
  const y = $derived(
    scaleLinear()
      .domain([0, slowest])
      .nice(3)
      .range([height - bottom, 6]),
  );
  const failures = $derived(shown.filter(({ failed }) => failed !== null).length);
</script>

<figure class="m-0">
  <svg
    viewBox="0 0 {width} {height}"
    class="border-line bg-sheet w-full rounded border"
    role="img"
    aria-label="Response times of the last {shown.length} requests, of which {failures} failed"
  >
    {#each y.ticks(3) as tick (tick)}
      <line x1={left} x2={width} y1={y(tick)} y2={y(tick)} stroke="var(--line-soft)" />
      <text x={left - 6} y={y(tick) + 4} text-anchor="end" class="fill-soft text-[12px]"
        >{num(tick)}</text
      >
    {/each}
    {#each shown as { took, failed, at }, i (i)}
      <line
        x1={x(i)}
        x2={x(i)}
        y1={y(0)}
        y2={y(took)}
        stroke={failed === null ? 'var(--slate)' : 'var(--crimson)'}
        stroke-width="2"
      />
      {#if failed !== null}
        <!-- A cross besides the colour: a request that failed. -->
        <path d="M{x(i) - 3} {y(took) - 6}l6 6m0 -6l-6 6" stroke="var(--crimson)" fill="none">
          <title>{at}: {failed}</title>
        </path>
      {/if}
    {/each}
    <text x={left} y={height - 4} class="fill-soft text-[12px]">older</text>
    <text x={width - 6} y={height - 4} text-anchor="end" class="fill-soft text-[12px]">now</text>
  </svg>
  <figcaption class="quiet">
    Milliseconds of the last {shown.length} requests{failures > 0
      ? say(`; the ${failures} with a cross failed`)
      : ''}.
  </figcaption>
</figure>
