<script lang="ts">
  import { plural, say } from '$lib/core/words/say';
  import { Button, Input } from '$lib/ui/parts';
  import { insteadOf } from './corrections';
  import type { ComingTable, ComingTogether, Offer } from './together.svelte';

  interface Props {
    coming: ComingTogether;
    table: ComingTable;
    /** Which of its columns. */
    i: number;
    missing: Offer['missing'];
  }
  let { coming, table, i, missing }: Props = $props();

  const column = $derived(table.columns[i]);
  const to = $derived(column?.type.kind === 'reference' ? column.type.table : '');
  const title = $derived(coming.titleOf(to));
  const comesIn = $derived(coming.tables.some(({ key }) => key === to));
  const left = $derived(coming.unsettled(table, i).length);
  const names = $derived(plural(left, ['# name', '# names']));
  /** What is typed instead of each. */
  let typed = $state<Record<string, string>>({});

  const putRight = (text: string) => column && insteadOf(table.corrections, column.source, text);

  function use(text: string, instead: string) {
    if (column && instead.trim() !== '') {
      coming.correct(table, { source: column.source, given: text, instead: instead.trim() });
    }
  }
</script>

<div class="grid gap-1.5 py-1">
  <div>
    {#if left > 0}
      <b>{say(`Not in ${title}: ${names}.`)}</b>
      Put them right here; the file stays as it is.
    {:else}
      <b>All names are put right.</b>
    {/if}
  </div>
  {#each missing as { text, line, near } (text)}
    {@const instead = putRight(text)}
    <div class="grid grid-cols-[minmax(0,1fr)_7rem_minmax(0,16rem)_auto] items-center gap-2">
      <b class="truncate">“{text}”</b>
      <span class="quiet">{line === null ? '' : say(`line ${line}`)}</span>
      {#if instead !== undefined}
        <span>becomes “{instead}”</span>
        <span>
          <Button
            kind="link"
            onclick={() =>
              column &&
              coming.correct(table, { source: column.source, given: text, instead: text })}
            >Leave it</Button
          >
        </span>
      {:else if coming.isAdded(table, i, text)}
        <span>is added to {title}</span><span></span>
      {:else}
        <Input
          data-settle
          aria-label="Instead of {text}"
          placeholder={near ?? ''}
          value={typed[text] ?? near ?? ''}
          oninput={({ currentTarget }) => (typed[text] = currentTarget.value)}
          onkeydown={(event) => {
            if (event.key === 'Enter') use(text, event.currentTarget.value);
          }}
        />
        <span class="flex gap-2">
          <Button kind="other" onclick={() => use(text, typed[text] ?? near ?? '')}>Use it</Button>
          {#if comesIn}
            <Button kind="other" onclick={() => coming.addTo(table, i, text)}>
              Add to {title}
            </Button>
          {/if}
        </span>
      {/if}
    </div>
  {/each}
</div>
