<script lang="ts">
  import { say } from '$lib/core/words/say';
  import type { Picture } from '$lib/core/table/view';
  import { Select } from '$lib/ui/parts';
  import { drawable, drawnTotals, sameTotal, type DrawnColumn } from './view-words';

  interface Props {
    columns: readonly DrawnColumn[];
    picture: Picture;
    /** How the rows are called that are counted where nothing is summed. */
    rows?: string;
    onpicture: (picture: Picture) => void;
  }
  let { columns, picture, rows = say('Records'), onpicture }: Props = $props();

  const totals = $derived(drawnTotals(columns));
  const place = $derived(totals.findIndex((one) => sameTotal(one, picture.total)));

  function changeWhat(to: number) {
    const { column, kind } = totals[to] ?? {};
    onpicture({ ...picture, total: column && kind ? { column, kind } : null });
  }
</script>

<Select
  class="h-7! w-auto! max-w-40 py-0!"
  aria-label="What is drawn"
  value={String(place)}
  onchange={({ currentTarget }) => changeWhat(Number(currentTarget.value))}
>
  <option value="-1">{rows}</option>
  {#each totals as { label }, i (i)}<option value={String(i)}>{label}</option>{/each}
</Select>
by
<Select
  class="h-7! w-auto! max-w-40 py-0!"
  aria-label="By which column"
  value={picture.by}
  onchange={({ currentTarget }) => onpicture({ ...picture, by: currentTarget.value })}
>
  {#each drawable(columns) as { key, label } (key)}<option value={key}>{label}</option>{/each}
</Select>
