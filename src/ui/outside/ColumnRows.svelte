<script lang="ts">
  import { Button, Input, Ledger } from '$lib/ui/parts';
  import type { OutsideColumn } from '$lib/core/outside/query';
  import TypeEditor from '$lib/ui/tables/TypeEditor.svelte';

  interface Props {
    columns: OutsideColumn[];
  }
  let { columns = $bindable() }: Props = $props();
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Column</th><th>Found at</th><th>Type</th><th><span class="sr-only">Steps</span></th>
    </tr>
  </thead>
  <tbody>
    {#each columns as column, i (column.key)}
      <tr>
        <td>
          <Input aria-label="Label of column {i + 1}" bind:value={column.label} />
        </td>
        <td>
          <Input
            class="font-mono text-[12.5px]!"
            aria-label="Path of {column.label}"
            bind:value={column.path}
          />
        </td>
        <td>
          <TypeEditor
            label={column.label}
            type={column.type}
            tables={[]}
            plain
            onchange={(type) => (column.type = type as OutsideColumn['type'])}
          />
        </td>
        <td class="text-right">
          <Button
            kind="link"
            aria-label="Remove {column.label}"
            onclick={() => columns.splice(i, 1)}>×</Button
          >
        </td>
      </tr>
    {:else}
      <tr>
        <td colspan="4" class="text-soft">
          No columns yet. Try the query and pick them from the answer.
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
