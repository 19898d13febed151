<script lang="ts">
  import type { ImportColumn } from '$lib/core/formats/csv-rows';
  import { Select } from '$lib/ui/parts';

  interface Props {
    /** Changed where the column that it is matched by is chosen. */
    column: ImportColumn;
    /** What the column is called. */
    label: string;
    /** The columns of the table that it refers to. */
    columns: readonly { key: string; label: string }[];
    /** Whether its records are there, with their numbers. */
    numbered: boolean;
    onchange: () => void;
  }
  let { column, label, columns, numbered, onchange }: Props = $props();
</script>

<!-- By which column of the other table the texts of a reference are looked up. -->
<label class="quiet mt-1 flex items-center gap-2">
  <span>matched by</span>
  <Select
    class="w-auto!"
    aria-label="Column that {label} is matched by"
    bind:value={column.match}
    {onchange}
  >
    {#each columns as { key, label: title } (key)}
      <option value={key}>{title}</option>
    {/each}
    {#if numbered}<option value="id">record number</option>{/if}
  </Select>
</label>
