<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import AnswerTree from './AnswerTree.svelte';

  interface Props {
    /** A part of an answer as it came. */
    value: unknown;
    path?: string;
    name?: string;
    /** Where the rows stand now. */
    rows: string;
    /** The paths that are columns already, below the rows. */
    taken: ReadonlySet<string>;
    /** The rows are to be taken from here. */
    onrows: (path: string) => void;
    /** A plain value is to be a column. */
    oncolumn: (path: string, value: unknown) => void;
  }
  let {
    value,
    path = '',
    name = say('the answer'),
    rows,
    taken,
    onrows,
    oncolumn,
  }: Props = $props();

  const isList = $derived(Array.isArray(value));
  const parts = $derived.by((): [string, unknown][] => {
    if (typeof value !== 'object' || value === null) return [];
    // The rows of a list are alike: the first one stands for all.
    return Array.isArray(value)
      ? value.slice(0, 1).map((v, i) => [String(i), v])
      : Object.entries(value);
  });
  const inside = $derived(typeof value === 'object' && value !== null);
  const at = (part: string) =>
    isList ? `${path}[${part}]` : path === '' ? part : `${path}.${part}`;
  /** The path below one row. */
  const below = $derived(
    path
      .slice(rows.length)
      .replace(/^\[\d+\]/, '')
      .replace(/^\./, ''),
  );
  const inRows = $derived(path.startsWith(rows) && below !== '');
</script>

<li class="leading-6">
  {#if inside}
    <span class="font-semibold">{name}</span>
    <span class="quiet">{isList ? say(`${(value as unknown[]).length} in a list`) : ''}</span>
    {#if isList || path === ''}
      {#if path === rows}<span class="tag">rows</span>
      {:else}<Button kind="link" onclick={() => onrows(path)}>rows from here</Button>{/if}
    {/if}
    <ul class="border-line-soft m-0 list-none border-l ps-4">
      {#each parts as [part, inner] (part)}
        <AnswerTree
          value={inner}
          path={at(part)}
          name={isList ? say('the first') : part}
          {rows}
          {taken}
          {onrows}
          {oncolumn}
        />
      {/each}
    </ul>
  {:else}
    <span class="text-soft">{name}</span>
    <span class="font-mono text-[12.5px]">{String(value)}</span>
    {#if inRows}
      {#if taken.has(below)}<span class="tag">column</span>
      {:else}<Button kind="link" onclick={() => oncolumn(below, value)}>make it a column</Button
        >{/if}
    {/if}
  {/if}
</li>
