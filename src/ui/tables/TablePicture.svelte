<script lang="ts">
  import type { Condition } from '$lib/core/table/conditions';
  import type { Table } from '$lib/core/table/definition';
  import type { Picture, Pictured } from '$lib/core/table/view';
  import DrawnPicture from './DrawnPicture.svelte';
  import { binEnd } from './view-words';

  interface Props {
    table: Table;
    picture: Picture;
    pictured: Pictured | null;
    onpicture: (picture: Picture | null) => void;
    /** Looks at the records behind a part of the picture. */
    onnarrow: (condition: Condition) => void;
  }
  let { table, picture, pictured, onpicture, onnarrow }: Props = $props();

  const kind = $derived(table.columns.find(({ key }) => key === picture.by)?.type.kind);

  /** What narrows the records to a part of the picture. */
  function conditionOf(drawn: Pictured, place: number): Condition | null {
    const path = picture.by;
    const between = (from: string | number, to: string | number): Condition => ({
      ...{ path, operator: 'between', values: [from, to] },
    });
    if (drawn.kind === 'bars') {
      const bar = drawn.bars[place];
      if (!bar) return null;
      return bar.value === null
        ? { path, operator: 'empty', values: [] }
        : { path, operator: 'equal', values: [bar.value] };
    }
    if (drawn.kind === 'months') {
      const month = drawn.months[place]?.month ?? '';
      const [year = 0, number = 1] = month.split('-').map(Number);
      const last = new Date(Date.UTC(year, number, 0)).getUTCDate();
      const suffix = kind === 'date_time' ? ['T00:00:00Z', 'T23:59:59Z'] : ['', ''];
      return between(`${month}-01${suffix[0]}`, `${month}-${last}${suffix[1]}`);
    }
    const bin = drawn.bins[place];
    if (!bin) return null;
    const bound = (n: number) => (kind === 'whole' ? n : String(n));
    return between(
      bound(bin.from),
      bound(binEnd(bin.to, place, drawn.bins.length, kind === 'whole')),
    );
  }

  function pick(place: number) {
    const condition = pictured && conditionOf(pictured, place);
    if (condition) onnarrow(condition);
  }
</script>

<aside
  class="border-line bg-sheet w-[360px] max-w-full shrink-0 overflow-auto border-s p-4 max-md:w-full max-md:border-s-0 max-md:border-b"
  aria-label="Picture"
>
  <DrawnPicture columns={table.columns} {picture} {pictured} {onpicture} onpick={pick} />
</aside>
