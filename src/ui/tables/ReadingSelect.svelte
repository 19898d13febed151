<script lang="ts">
  import type { ImportColumn } from '$lib/core/formats/csv-rows';
  import { Select } from '$lib/ui/parts';

  interface Props {
    /** Changed where its reading is chosen. */
    column: ImportColumn;
    /** What the column is called. */
    label: string;
    onchange: () => void;
  }
  let { column, label, onchange }: Props = $props();
</script>

<!-- How the dates or numbers of a column are written in its file. -->
{#if column.type.kind === 'date' || column.type.kind === 'date_time'}
  <Select
    class="mt-1 w-fit!"
    aria-label="How dates of {label} are written"
    bind:value={column.reading.dates}
    {onchange}
  >
    <option value="ymd">year-month-day</option>
    <option value="dmy">day.month.year</option>
    <option value="mdy">month/day/year</option>
  </Select>
{:else if column.type.kind === 'decimal'}
  <Select
    class="mt-1 w-fit!"
    aria-label="How numbers of {label} are written"
    bind:value={column.reading.decimal}
    {onchange}
  >
    <option value=".">1250.50</option>
    <option value=",">1250,50</option>
  </Select>
{/if}
