<script lang="ts">
  import { countWords } from '$lib/core/words/about';
  import { Ledger } from '$lib/ui/parts';

  interface Listed {
    key: string;
    title: string;
    records: number;
    /** How many columns it has. */
    columns: number;
    /** The labels of the columns by which its records are shown. */
    shown: readonly string[];
    /** The titles of the tables to which it refers. */
    refersTo: readonly string[];
  }
  let { tables }: { tables: readonly Listed[] } = $props();
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
        <td class="num">{table.columns}</td>
        <td>{table.shown.join(', ')}</td>
        <td class="text-soft">{table.refersTo.join(', ') || '–'}</td>
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
