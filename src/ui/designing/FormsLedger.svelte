<script lang="ts">
  import { reader } from '$lib/core/words/reader';
  import { Ledger } from '$lib/ui/parts';
  import { formatValue } from '$lib/core/values/format';

  interface Props {
    forms: readonly {
      key: string;
      title: string;
      table: string;
      edition: number;
      changed: boolean;
      draftBy: string;
      draftAt: string;
    }[];
    /** Titles of tables by key. */
    tables: readonly { key: string; title: string }[];
  }
  let { forms, tables }: Props = $props();

  const titles = $derived(new Map(tables.map(({ key, title }) => [key, title])));
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>Form</th><th>Writes to</th><th>Edition</th><th>Draft last changed</th>
      <th><span class="sr-only">Steps</span></th>
    </tr>
  </thead>
  <tbody>
    {#each forms as form (form.key)}
      <tr>
        <td>
          {#if form.edition > 0}
            <a class="font-semibold hover:underline" href="/forms/{form.key}">{form.title}</a>
          {:else}
            <a class="font-semibold hover:underline" href="/forms/{form.key}/design">{form.title}</a
            >
          {/if}
        </td>
        <td>{titles.get(form.table) ?? form.table}</td>
        <td>
          {#if form.edition === 0}<span class="text-soft italic">not published</span>
          {:else}{form.edition}{#if form.changed}<span class="text-soft">, draft differs</span>{/if}
          {/if}
        </td>
        <td class="text-soft">
          {formatValue({ kind: 'date_time' }, form.draftAt, reader())} by {form.draftBy}
        </td>
        <td class="text-right whitespace-nowrap">
          {#if form.edition > 0}<a class="textlink me-4" href="/forms/{form.key}">Fill in</a>{/if}
          <a class="textlink" href="/forms/{form.key}/design">Design</a>
        </td>
      </tr>
    {:else}
      <tr>
        <td colspan="5" class="text-soft">
          No forms yet. Open a table and choose “Draft a form”.
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
