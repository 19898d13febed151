<script lang="ts">
  import { Button, Input, Select } from '$lib/ui/parts';
  import type { Column } from '$lib/core/table/definition';
  import { tones, type Threshold, type Tone } from '$lib/core/table/view';
  import { isNumeric } from '$lib/core/values/types';
  import { toneWords } from '$lib/core/table/total-words';

  interface Props {
    columns: readonly Column[];
    thresholds: readonly Threshold[];
    onchange: (thresholds: Threshold[]) => void;
  }
  let { columns, thresholds, onchange }: Props = $props();

  let mark = $state({ column: '', from: '', tone: 'watch' as Tone, word: '' });
  const numbers = $derived(columns.filter(({ type }) => isNumeric(type)));
  const label = (key: string) => columns.find((c) => c.key === key)?.label ?? key;

  function addMark() {
    const { column, from, tone, word } = mark;
    const chosen = column || numbers[0]?.key;
    if (!chosen || !/^-?\d+(\.\d+)?$/.test(from.trim()) || word.trim() === '') return;
    onchange([...thresholds, { column: chosen, from: from.trim(), tone, word: word.trim() }]);
    mark = { ...mark, from: '', word: '' };
  }
</script>

{#each thresholds as threshold, i (i)}
  <div class="flex items-center gap-2">
    <span>{label(threshold.column)} from {threshold.from}</span>
    <span class="mark {threshold.tone}">{threshold.word}</span>
    <Button
      kind="link"
      aria-label="Remove the mark {threshold.word}"
      onclick={() => onchange(thresholds.filter((_, k) => k !== i))}>Remove</Button
    >
  </div>
{/each}
{#if numbers.length === 0}
  <span class="quiet">No column holds numbers.</span>
{:else}
  <form
    class="flex flex-wrap items-center gap-2"
    onsubmit={(event) => {
      event.preventDefault();
      addMark();
    }}
  >
    <Select class="w-auto!" aria-label="Column to be marked" bind:value={mark.column}>
      {#each numbers as column, i (column.key)}
        <option value={i === 0 ? '' : column.key}>{column.label}</option>
      {/each}
    </Select>
    from
    <Input class="w-24!" aria-label="From this number" bind:value={mark.from} />
    is
    <Select class="w-auto!" aria-label="Kind of mark" bind:value={mark.tone}>
      {#each tones as tone (tone)}<option value={tone}>{toneWords[tone]}</option>{/each}
    </Select>
    and says
    <Input class="w-32!" aria-label="Word of the mark" bind:value={mark.word} />
    <Button type="submit" kind="other">Mark it</Button>
  </form>
{/if}
