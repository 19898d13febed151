<script lang="ts">
  import { foundWords } from '$lib/core/words/about';
  import { mayTable } from '$lib/ui/shared/may';
  import { reader } from '$lib/core/words/reader';
  import { Button, Ledger } from '$lib/ui/parts';
  import type { Table, House } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { isAmount, type Value } from '$lib/core/values/types';
  import AddRecord from './AddRecord.svelte';

  interface Props {
    /** The record that is referred to. */
    to: { table: string; id: number; line: string };
    referring: {
      table: string;
      column: string;
      label: string;
      records: { id: number; values: Record<string, Value>; shown: Record<string, string> }[];
      total: number;
      more: boolean;
      forms: readonly { key: string; title: string }[];
    };
    tables: House;
    onchanged: () => void;
  }
  let { to, referring, tables, onchanged }: Props = $props();

  const mostColumns = 5;
  let adding = $state(false);
  const table = $derived(tables.get(referring.table) as Table);
  const columns = $derived(
    table.columns.filter(({ key }) => key !== referring.column).slice(0, mostColumns),
  );
  const filter = $derived(
    JSON.stringify([{ path: referring.column, operator: 'equal', values: [to.id] }]),
  );
  const home = $derived(`/tables/${to.table}/records/${to.id}`);
  const title = $derived(table.title.toLowerCase());
</script>

<section class="mb-4">
  <div class="mb-1 flex flex-wrap items-baseline gap-3">
    <h3 class="font-semibold">
      {table.title}
      {#if referring.label.toLowerCase() !== (tables.get(to.table)?.title.toLowerCase() ?? '')}
        <span class="quiet">by {referring.label}</span>
      {/if}
      <span class="quiet">
        {foundWords(referring.total, referring.more)}
      </span>
    </h3>
    <span class="ms-auto flex gap-4">
      {#each referring.forms as form (form.key)}
        <a
          class="textlink"
          href="/forms/{form.key}?with.{referring.column}={to.id}&back={encodeURIComponent(home)}"
          >Add with {form.title}</a
        >
      {:else}
        {#if mayTable(table.key, 'add')}
          <Button kind="link" onclick={() => (adding = true)}>Add a {title}</Button>
        {/if}
      {/each}
      {#if referring.total > referring.records.length}
        <a class="textlink" href="/tables/{table.key}?filter={encodeURIComponent(filter)}">
          Show all
        </a>
      {/if}
    </span>
  </div>
  {#if referring.records.length > 0}
    <Ledger class="border-line border">
      <thead>
        <tr>
          <th class="w-20">Record</th>
          {#each columns as column (column.key)}
            <th class:num={isAmount(column.type)}>{column.label}</th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each referring.records as record (record.id)}
          <tr>
            <td><a class="ref" href="/tables/{table.key}/records/{record.id}">{record.id}</a></td>
            {#each columns as column (column.key)}
              <td class:num={isAmount(column.type)}>
                {record.shown[column.key] ??
                  formatValue(column.type, record.values[column.key] ?? null, reader())}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    </Ledger>
  {/if}
</section>
<AddRecord
  {table}
  {tables}
  given={{ [referring.column]: to.id }}
  givenShown={{ [referring.column]: to.line }}
  bind:open={adding}
  onadded={onchanged}
/>
