<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import { page } from '$app/state';
  import DraftForm from '$lib/ui/designing/DraftForm.svelte';
  import Segments from '$lib/ui/shared/Segments.svelte';
  import { mayPlace } from '$lib/ui/shared/may';
  import type { LayoutProps } from './$types';

  let { data, children }: LayoutProps = $props();
  let drafting = $state(false);
  $effect(() => {
    if (page.url.searchParams.has('draft')) drafting = true;
  });

  const base = $derived(`/tables/${data.table.key}`);
  const segments = $derived(
    [
      { label: say('Records'), href: base },
      ...(data.asked ? [{ label: say('Questions'), href: `${base}/questions` }] : []),
      ...(mayPlace('tables')
        ? [
            { label: say('Columns'), href: `${base}/columns` },
            { label: say('Used by'), href: `${base}/used` },
          ]
        : []),
    ].map((item) => ({ ...item, current: page.url.pathname === item.href })),
  );
  const shownAs = $derived(
    data.table.display
      .map((key) => data.table.columns.find((c) => c.key === key)?.label.toLowerCase() ?? key)
      .join(', '),
  );

  function forms(list: readonly unknown[]): string {
    return list.length === 0
      ? say('no form')
      : list.length === 1
        ? say('1 form')
        : say(`${list.length} forms`);
  }
</script>

<svelte:head><title>{data.table.title} – Unisor</title></svelte:head>
<div class="flex h-full flex-col">
  <div class="headline shrink-0">
    <h1>{data.table.title}</h1>
    <span class="quiet">
      shown as {shownAs} · used by {forms(data.forms)}
    </span>
    <div class="ms-auto flex flex-wrap gap-2">
      <Segments items={segments} label="Parts of the table" />
      {#if mayPlace('tables')}
        <Button kind="other" href="{base}/bring">Import rows</Button>
      {/if}
      {#if mayPlace('forms')}
        <Button kind="other" onclick={() => (drafting = true)}>Draft a form</Button>
      {/if}
    </div>
  </div>
  <div class="min-h-0 flex-1 overflow-auto">{@render children()}</div>
</div>
{#if mayPlace('forms')}
  <DraftForm tables={data.tables} table={data.table.key} bind:open={drafting} />
{/if}
