<script lang="ts">
  import { path as newPath } from 'd3-path';
  import { num, plural, say } from '$lib/core/words/say';
  import type { ComingTogether } from './together.svelte';

  interface Props {
    coming: ComingTogether;
  }
  let { coming }: Props = $props();

  const box = { width: 118, height: 50, across: 84, down: 22 };
  /** The room that the words of a link take beside the table that refers. */
  const wordsHeight = 36;

  interface Link {
    from: string;
    to: string;
    label: string;
    told: string;
    left: number;
  }
  const links = $derived(
    coming.tables.flatMap((table) =>
      table.columns.flatMap((column, i): Link[] => {
        if (!column.included || column.type.kind !== 'reference') return [];
        const offer = coming.offerOf(table, i);
        const told = offer ? say(`${num(offer.matching)} of ${num(offer.values)}`) : '';
        const left = coming.unsettled(table, i).length;
        return [{ from: table.key, to: column.type.table, label: column.label, told, left }];
      }),
    ),
  );
  /** The tables in the picture: those that come in, and those that are there and referred to. */
  const shown = $derived([
    ...new Set([...coming.tables.map(({ key }) => key), ...links.map(({ to }) => to)]),
  ]);

  /** How many steps lie between a table and those that refer to nothing; a circle ends where it began. */
  function depth(key: string, above: readonly string[] = []): number {
    const below = links.filter(({ from, to }) => from === key && !above.includes(to) && to !== key);
    return Math.max(0, ...below.map(({ to }) => 1 + depth(to, [...above, key])));
  }
  const places = $derived.by(() => {
    const tops: number[] = [];
    const entries = shown.map((key) => {
      const across = depth(key);
      const y = tops[across] ?? 0;
      const height = Math.max(box.height, linksOf(key).length * wordsHeight);
      tops[across] = y + height + box.down;
      return [key, { x: across * (box.width + box.across), y, height }] as const;
    });
    return Object.fromEntries(entries);
  });
  const size = $derived({
    width: Math.max(0, ...Object.values(places).map(({ x }) => x)) + box.width + 2,
    height: Math.max(0, ...Object.values(places).map(({ y, height }) => y + height)) + 4,
  });

  function linksOf(key: string): Link[] {
    return links.filter(({ from }) => from === key);
  }

  /** Where a link meets the table that refers: one below the other. */
  function meets(link: Link): { x: number; y: number } {
    const own = linksOf(link.from);
    const at = places[link.from] ?? { x: 0, y: 0, height: box.height };
    return { x: at.x, y: at.y + (at.height * (own.indexOf(link) + 0.5)) / own.length };
  }

  function line(link: Link): string {
    const b = places[link.to];
    if (!b) return '';
    const start = { x: b.x + box.width, y: b.y + b.height / 2 };
    const end = meets(link);
    const half = Math.max(20, (end.x - start.x) / 2);
    const drawn = newPath();
    drawn.moveTo(start.x, start.y);
    drawn.bezierCurveTo(start.x + half, start.y, end.x - box.across, end.y, end.x, end.y);
    return drawn.toString();
  }

  const rowsOf = (key: string) => coming.tables.find((table) => table.key === key)?.rows;
  const sentence = ({ from, to, label, told }: Link) =>
    say(`${coming.titleOf(from)} refers to ${coming.titleOf(to)} by ${label}: ${told}`);
</script>

<div class="overflow-x-auto">
  <svg
    width={size.width}
    height={size.height}
    role="img"
    aria-label={links.map(sentence).join('. ') || say('No links')}
    class="overflow-visible"
  >
    {#each links as link (link.from + link.label)}
      {@const end = meets(link)}
      <path
        d={line(link)}
        fill="none"
        stroke="var(--navy)"
        stroke-width="1.5"
        stroke-dasharray={link.left > 0 ? '4 3' : undefined}
      />
      {#if link.from !== link.to}
        <text
          x={end.x - box.across / 2}
          y={end.y - 6}
          class="fill-navy text-[12px] font-semibold"
          text-anchor="middle">{link.label.slice(0, 12)}</text
        >
        <text
          x={end.x - box.across / 2}
          y={end.y + 14}
          class={['text-[11.5px]', link.left > 0 ? 'fill-crimson' : 'fill-soft']}
          text-anchor="middle"
          >{link.left > 0 ? plural(link.left, ['# to settle', '# to settle']) : link.told}</text
        >
      {/if}
    {/each}
    {#each shown as key (key)}
      {@const at = places[key]}
      {#if at}
        <rect
          x={at.x + 0.5}
          y={at.y + 0.5}
          width={box.width}
          height={at.height}
          rx="4"
          fill="var(--sheet)"
          stroke="var(--edge)"
        />
        <text x={at.x + 10} y={at.y + 21} class="fill-ink text-[13.5px] font-semibold"
          >{coming.titleOf(key).slice(0, 16)}</text
        >
        <text x={at.x + 10} y={at.y + 38} class="fill-soft text-[11.5px]"
          >{rowsOf(key) === undefined
            ? say('is there already')
            : plural(rowsOf(key) ?? 0, ['# row', '# rows'])}</text
        >
      {/if}
    {/each}
  </svg>
</div>
