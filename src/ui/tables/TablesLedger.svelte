<script lang="ts">
  import { countWords } from '$lib/core/words/about';
  import { Ledger } from '$lib/ui/parts';
  import type { Table } from '$lib/core/table/definition';

  let { tables }: { tables: readonly (Table & { records: number })[] } = $props();

  const titles = $derived(new Map(tables.map(({ key, title }) => [key, title])));

  function labels(table: Table, keys: readonly string[]): string {
    return keys.map((key) => table.columns.find((c) => c.key === key)?.label ?? key).join(', ');
  }

  function refersTo(table: Table): string {
    const keys = table.columns.flatMap(({ type }) => (type.kind === 'reference' ? type.table : []));
    return [...new Set(keys)].map((key) => titles.get(key) ?? key).join(', ');
  }
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Table</th><th class="num">Records</th><th class="num">Columns</th><th>Shown as</th>
      <th>Refers to</th>
    </tr>
  </thead>
  <tbody>
    {#each tables as table (table.key)}
      <tr>
        <td
          ><a class="font-semibold hover:underline" href="/tables/{table.key}">{table.title}</a></td
        >
        <td class="num">{countWords(table.records)}</td>
        <td class="num">{table.columns.length}</td>
        <td>{labels(table, table.display)}</td>
        <td class="text-soft">{refersTo(table) || '–'}</td>
      </tr>
    {:else}
      <tr>
        <td colspan="5" class="text-soft">
          No table yet. Tables hold the records that forms read and write; bring in a CSV file,
          paste rows, or make one by hand.
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
