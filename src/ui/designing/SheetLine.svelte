<script lang="ts">
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
  import { questions, type Question } from './questions';

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
    onfocus: () => void;
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

<div class="line" class:lit class:selected>
  {#each questions as { key: question, label } (question)}
    {@const said = phrase(question)}
    <button
      type="button"
      data-cell="{address} {question}"
      aria-label="{label} of {field.label}: {said.main || 'nothing'}"
      aria-expanded={open === question}
      aria-pressed={question === 'field' ? selected : undefined}
      class="cell"
      class:open={open === question}
      onclick={(event) => onpress(question, event)}
      onkeydown={(event) => onkey(question, event)}
      {onfocus}
    >
      {#if question === 'field'}
        <span class={open === null ? '' : 'font-semibold'}>{said.main}</span>
      {:else if said.main === ''}
        <span class="text-soft">–</span>
      {:else}
        <span class={question === 'saves' && field.savesTo === null ? 'text-soft italic' : ''}>
          {said.main}
        </span>
      {/if}
      {#if said.more}<span class="quiet block">{said.more}</span>{/if}
    </button>
  {/each}
  <span class="grip" aria-hidden="true" title="Drag the line">⠿</span>
</div>

<style>
  .line {
    display: grid;
    position: relative;
    grid-template-columns: var(--questions);
    padding: 0 20px;
    border-bottom: 1px solid var(--line-soft);
    background: var(--sheet);
  }
  .cell {
    display: flex;
    flex-direction: column;
    min-height: 32px;
    padding: 5px 8px;
    text-align: left;
    font-size: 13.5px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .cell:hover {
    background: var(--paper);
  }
  .lit {
    background: var(--marigold-wash);
  }
  .selected {
    box-shadow: inset 3px 0 0 var(--navy);
    background: var(--paper);
  }
  .open {
    box-shadow: inset 0 0 0 2px var(--marigold);
  }
  .grip {
    position: absolute;
    left: 5px;
    top: 6px;
    color: var(--edge);
    cursor: grab;
  }
</style>
