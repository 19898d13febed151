<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import type { Field } from '$lib/core/plan/schema';
  import {
    bringsPhrase,
    narrowedPhrase,
    rulesPhrase,
    savesPhrase,
    sourcePhrase,
    type Phrase,
  } from '$lib/core/plan/words';
  import type { Sight } from '$lib/core/plan/sight';
  import type { House } from '$lib/core/table/definition';
  import { focusable } from '$lib/ui/shared/focus';
  import { cellAddress, questions, type Question } from './questions';

  interface Props {
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    field: Field;
    address: string;
    tables: House;
    counts: ReadonlyMap<string, number>;
    /** The question whose band is open under the line. */
    open: Question | null;
    lit: boolean;
    selected: boolean;
    onpress: (question: Question, event: MouseEvent) => void;
    onkey: (question: Question, event: KeyboardEvent) => void;
    /** The question whose cell Tab reaches; none where it is another line's. */
    stop: Question | null;
    onfocus: (question: Question) => void;
  }
  let {
    sight,
    field,
    address,
    tables,
    counts,
    open,
    lit,
    selected,
    onpress,
    onkey,
    stop,
    onfocus,
  }: Props = $props();

  function phrase(question: Question): Phrase {
    switch (question) {
      case 'field':
        return { main: field.label, more: '' };
      case 'source':
        return sourcePhrase(sight, field, tables, counts);
      case 'brings':
        return bringsPhrase(sight, field, tables);
      case 'narrowed':
        return narrowedPhrase(sight, field, tables);
      case 'rules':
        return rulesPhrase(sight, field, tables);
      case 'saves':
        return savesPhrase(sight, field, tables);
    }
  }
</script>

<div
  class={[
    'sheet-row border-line-soft bg-sheet relative border-b',
    selected && 'bg-paper shadow-[inset_3px_0_0_var(--navy)]',
    lit && 'bg-wash',
  ]}
>
  {#each questions as { key: question, label } (question)}
    {@const said = phrase(question)}
    <Button
      kind="bare"
      data-cell="{address} {question}"
      aria-label="{label} of {field.label}: {said.main || 'nothing'}"
      aria-expanded={open === question}
      aria-pressed={question === 'field' ? selected : undefined}
      class={[
        'flex min-h-8 flex-col items-start justify-start overflow-hidden px-2 py-[5px] text-[13.5px] text-ellipsis hover:bg-paper',
        open === question && 'shadow-[inset_0_0_0_2px_var(--marigold)]',
      ]}
      onclick={(event) => onpress(question, event)}
      onkeydown={(event) => onkey(question, event)}
      tabindex={stop === question ? 0 : -1}
      onfocus={() => onfocus(question)}
      {@attach focusable(cellAddress({ field: address, question }))}
    >
      {#if question === 'field'}
        <span class={['line-clamp-2', open !== null && 'font-semibold']}>{said.main}</span>
      {:else if said.main === ''}
        <span class="text-soft">–</span>
      {:else}
        <span
          class={[
            'line-clamp-2',
            question === 'saves' && field.savesTo === null && 'text-soft italic',
          ]}
        >
          {said.main}
        </span>
      {/if}
      {#if said.more}<span class="quiet line-clamp-2">{said.more}</span>{/if}
    </Button>
  {/each}
  <span
    class="absolute start-[5px] top-1.5 cursor-grab text-edge"
    aria-hidden="true"
    title="Drag to move">⠿</span
  >
</div>
