<script lang="ts">
  import { num, plural, say } from '$lib/core/words/say';
  import type { Picture, Pictured } from '$lib/core/table/view';
  import { Button, Ledger } from '$lib/ui/parts';
  import Bars from '$lib/ui/shared/Bars.svelte';
  import Bins from '$lib/ui/shared/Bins.svelte';
  import Months from '$lib/ui/shared/Months.svelte';
  import Stepped from '$lib/ui/shared/Stepped.svelte';
  import PicturePicked from './PicturePicked.svelte';
  import { partsOf, pictureWords, type DrawnColumn } from './view-words';

  interface Props {
    columns: readonly DrawnColumn[];
    picture: Picture;
    pictured: Pictured | null;
    /** How the rows are called that are counted where nothing is summed. */
    rows?: string;
    /** Draws something else, or nothing. */
    onpicture: (picture: Picture | null) => void;
    /** Looks at the rows behind a part of the picture, by its place. */
    onpick: (place: number) => void;
  }
  let { columns, picture, pictured, rows = say('Records'), onpicture, onpick }: Props = $props();

  let asTable = $state(false);
  let at = $state<number | null>(null);

  const words = $derived(pictureWords(columns, picture, rows));
  const column = $derived(columns.find(({ key }) => key === picture.by));
  const parts = $derived(partsOf(pictured, column?.type.kind === 'whole'));
  const others = $derived(pictured?.kind === 'bars' ? pictured.others : 0);

  const said = (place: number) => {
    const part = parts[place];
    return part ? `${part.label}: ${num(part.n)}` : '';
  };
  // Another picture is pointed at nowhere yet.
  $effect(() => {
    void words.title;
    at = null;
  });
</script>

<div class="mb-3 flex flex-wrap items-center gap-2 text-[13px]">
  <PicturePicked {columns} {picture} {rows} {onpicture} />
  <Button
    kind="bare"
    class="text-soft ms-auto"
    aria-label="Close the picture"
    onclick={() => onpicture(null)}>×</Button
  >
</div>
{#if !pictured || parts.length === 0}
  <p class="quiet">There is nothing to draw.</p>
{:else if asTable}
  <Ledger class="border-line border" aria-label={words.title}>
    <thead><tr><th>{words.byWhat}</th><th class="num">{words.what}</th></tr></thead>
    <tbody>
      {#each parts as { label, n }, place (place)}
        <tr>
          <td>
            <Button kind="bare" class="hover:underline" onclick={() => onpick(place)}
              >{label}</Button
            >
          </td>
          <td class="num">{num(n)}</td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
{:else if pictured.kind === 'bars'}
  <Bars
    bars={pictured.bars.map(({ label, n }) => ({ label, n, before: 0 }))}
    parts={(picture.total === null || picture.total.kind === 'sum') && others === 0}
    {onpick}
  />
{:else}
  <Stepped
    label={words.title}
    count={parts.length}
    {at}
    {said}
    onat={(place) => (at = place)}
    {onpick}
  >
    {#if pictured.kind === 'months'}
      <Months
        months={pictured.months.map((one) => ({ ...one, before: 0 }))}
        label={words.title}
        {at}
      />
    {:else}
      <Bins
        bins={pictured.bins.map((one) => ({ ...one, before: 0 }))}
        spread={pictured.spread}
        spreadBefore={null}
        {at}
      />
    {/if}
  </Stepped>
  {#if pictured.kind === 'spread'}
    {@const { low, high, middle } = pictured.spread}
    <p class="quiet">
      Half of them are from {num(Number(low))} to {num(Number(high))}; the middle one is {num(
        Number(middle),
      )}.
    </p>
  {/if}
{/if}
{#if others > 0}
  <p class="quiet mt-2">{plural(others, ['and # other value', 'and # other values'])}</p>
{/if}
{#if parts.length > 0}
  <div class="mt-3">
    <Button kind="link" onclick={() => (asTable = !asTable)}>
      {asTable ? say('As a picture') : say('As a table')}
    </Button>
  </div>
{/if}
