<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Ledger } from '$lib/ui/parts';
  import { formatValue } from '$lib/core/values/format';
  import { type KeptRow, type RowColumn, isAmount } from '$lib/core/values/types';

  interface Props {
    columns: readonly RowColumn[];
    rows: readonly KeptRow[];
  }
  let { columns, rows }: Props = $props();

  let asJson = $state(false);
</script>

<!-- Rows that a record keeps: as a table, or as the JSON that is stored. -->
{#if asJson}
  <pre class="m-0 overflow-x-auto text-[12.5px]">{JSON.stringify(rows, null, 2)}</pre>
{:else}
  <Ledger class="border-line w-auto! border">
    <thead>
      <tr>
        {#each columns as column (column.key)}<th>{column.label}</th>{/each}
      </tr>
    </thead>
    <tbody>
      {#each rows as row, i (i)}
        <tr>
          {#each columns as { key, type } (key)}
            <td class={isAmount(type) ? 'num' : ''}
              >{formatValue(type, row[key] ?? null, reader())}</td
            >
          {/each}
        </tr>
      {/each}
    </tbody>
  </Ledger>
{/if}
<Button kind="link" onclick={() => (asJson = !asJson)}
  >{asJson ? say('As a table') : say('As JSON')}</Button
>
