<script lang="ts">
  import InviteGuest from '$lib/ui/access/InviteGuest.svelte';
  import { mayForm, mayPlace } from '$lib/ui/shared/may';
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
          {#if form.edition > 0 && mayForm(form.key, 'fill')}
            <a class="font-semibold hover:underline" href="/forms/{form.key}">{form.title}</a>
          {:else if mayForm(form.key, 'design')}
            <a class="font-semibold hover:underline" href="/forms/{form.key}/design">{form.title}</a
            >
          {:else}<b>{form.title}</b>{/if}
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
          {#if form.edition > 0 && mayForm(form.key, 'fill')}
            <a class="textlink me-4" href="/forms/{form.key}">Fill in</a>
          {/if}
          {#if form.edition > 0 && mayPlace('invite')}
            <span class="me-4"><InviteGuest forms={[form]} adds /></span>
          {/if}
          {#if form.edition > 0 && mayForm(form.key, 'design')}
            <a class="textlink me-4" href="/forms/{form.key}/drift">Drift</a>
          {/if}
          {#if mayForm(form.key, 'design')}
            <a class="textlink" href="/forms/{form.key}/design">Design</a>
          {/if}
        </td>
      </tr>
    {:else}
      <tr>
        <td colspan="5" class="text-soft">
          {#if mayPlace('forms')}No forms yet. Open a table and choose “Draft a form”.
          {:else}There is no form for you yet. Ask a keeper.{/if}
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
