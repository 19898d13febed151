<script lang="ts">
  import { tick } from 'svelte';
  import { dndzone, type DndEvent } from 'svelte-dnd-action';
  import { fieldForColumn, fieldForTable, plainField } from '$lib/core/plan/draft';
  import {
    addField,
    addSection,
    arrangeFields,
    copyField,
    moveField,
    removeField,
    removeSection,
    updateSection,
  } from '$lib/core/plan/edit';
  import { fieldsOf, type Field, type Plan } from '$lib/core/plan/schema';
  import {
    bringsPhrase,
    narrowedPhrase,
    rulesPhrase,
    savesPhrase,
    sourcePhrase,
    type Phrase,
  } from '$lib/core/plan/words';
  import type { Tables } from '$lib/core/table/definition';
  import type { EntrySession } from '$lib/ui/filling/session.svelte';
  import LineBand from './LineBand.svelte';
  import { questions, type Cell, type Question } from './questions';
  import WritesBand from './WritesBand.svelte';

  interface Props {
    formKey: string;
    plan: Plan;
    tables: Tables;
    counts: ReadonlyMap<string, number>;
    open: Cell | null;
    /** The field that is lit in the live form. */
    lit: string | null;
    offered: (field: string) => string;
    /** The live form, for formulas. */
    live: EntrySession | null;
    onedit: (edit: (plan: Plan) => Plan) => void;
    onhover: (field: string | null) => void;
  }
  let {
    formKey,
    plan,
    tables,
    counts,
    open = $bindable(),
    lit,
    offered,
    live,
    onedit,
    onhover,
  }: Props = $props();

  let added = $state('');
  let sheet = $state<HTMLDivElement>();
  /** The fields of a section while one of them is dragged over it. */
  let dragged = $state.raw<Record<string, { id: string; field: Field }[]>>({});

  const target = $derived(tables.get(plan.table));
  const keys = $derived(fieldsOf(plan).map((field) => field.key));
  const unused = $derived(
    (target?.columns ?? []).filter((c) => !fieldsOf(plan).some((f) => f.savesTo === c.key)),
  );

  function phrase(field: Field, question: Question): Phrase {
    switch (question) {
      case 'field':
        return { main: field.label, more: '' };
      case 'source':
        return sourcePhrase(plan, field, tables, counts);
      case 'brings':
        return bringsPhrase(plan, field, tables);
      case 'narrowed':
        return narrowedPhrase(plan, field, tables);
      case 'rules':
        return rulesPhrase(plan, field, tables);
      case 'saves':
        return savesPhrase(plan, field, tables);
    }
  }

  function items(section: Plan['sections'][number]) {
    return dragged[section.key] ?? section.fields.map((field) => ({ id: field.key, field }));
  }

  function consider(section: string, event: CustomEvent<DndEvent<{ id: string; field: Field }>>) {
    dragged = { ...dragged, [section]: event.detail.items };
  }

  function finalize(section: string, event: CustomEvent<DndEvent<{ id: string; field: Field }>>) {
    const order = event.detail.items.map((item) => item.id);
    const was = plan.sections.find((s) => s.key === section)?.fields.map((f) => f.key) ?? [];
    dragged = Object.fromEntries(Object.entries(dragged).filter(([key]) => key !== section));
    const gone = was.filter((key) => !order.includes(key));
    // What was dragged out of a section is placed by the section that takes it.
    if (gone.length === 0 && order.join() !== was.join()) {
      onedit((p) => arrangeFields(p, section, order));
    }
  }

  function toggle(field: string, question: Question) {
    open = open?.field === field && open.question === question ? null : { field, question };
    if (open) void focusBand();
  }

  async function focusBand() {
    await tick();
    const inputs = '.band .cm-content, .band input, .band select, .band textarea, .band button';
    sheet?.querySelector<HTMLElement>(inputs)?.focus();
  }

  async function focusCell(cell: Cell) {
    await tick();
    sheet?.querySelector<HTMLElement>(`[data-cell="${cell.field} ${cell.question}"]`)?.focus();
  }

  function move(field: string, question: Question, by: -1 | 1) {
    onedit((p) => moveField(p, field, by));
    if (!open) void focusCell({ field, question });
  }

  function copy(field: string) {
    const copied = copyField(plan, field);
    onedit(() => copied.plan);
    void focusCell({ field: copied.copy, question: 'field' });
  }

  function remove(field: string) {
    const at = keys.indexOf(field);
    const next = keys[at + 1] ?? keys[at - 1];
    if (open?.field === field) open = null;
    onedit((p) => removeField(p, field));
    if (next) void focusCell({ field: next, question: 'field' });
  }

  function onlinekey(event: KeyboardEvent, field: string, question: Question) {
    const row = keys.indexOf(field);
    const column = questions.findIndex((q) => q.key === question);
    const go = (r: number, c: number) => {
      const [to, asked] = [keys[r], questions[c]?.key];
      if (to && asked) void focusCell({ field: to, question: asked });
    };
    if (event.altKey && event.key === 'ArrowUp') move(field, question, -1);
    else if (event.altKey && event.key === 'ArrowDown') move(field, question, 1);
    else if (event.ctrlKey && event.key.toLowerCase() === 'd') copy(field);
    else if (event.key === 'F2') toggle(field, question);
    else if (event.key === 'Delete') remove(field);
    else if (event.key === 'ArrowDown') go(row + 1, column);
    else if (event.key === 'ArrowUp') go(row - 1, column);
    else if (event.key === 'ArrowRight') go(row, column + 1);
    else if (event.key === 'ArrowLeft') go(row, column - 1);
    else return;
    event.preventDefault();
  }

  function onbandkey(event: KeyboardEvent) {
    if (event.key !== 'Escape' || !open) return;
    const cell = open;
    open = null;
    event.stopPropagation();
    void focusCell(cell);
  }

  /** A typed column, table or label becomes a field at the end, or behind the open line. */
  function add(event: SubmitEvent) {
    event.preventDefault();
    const wanted = added.trim().toLowerCase();
    if (wanted === '') return;
    const column = unused.find((c) => c.label.toLowerCase() === wanted || c.key === wanted);
    const table = [...tables.values()].find((t) => t.title.toLowerCase() === wanted);
    const field = column
      ? fieldForColumn(column, tables, keys)
      : table
        ? fieldForTable(table, tables, keys)
        : plainField(added.trim(), keys);
    onedit((p) => addField(p, field, { behind: open?.field }));
    added = '';
  }
</script>

<div bind:this={sheet} class="sheet" role="group" aria-label="Plan sheet">
  <div class="line head">
    {#each questions as { key, label } (key)}<span>{label}</span>{/each}
  </div>
  {#each plan.sections as section (section.key)}
    <div class="section">
      <input
        class="title"
        aria-label="Title of the section"
        placeholder="A section without a title"
        value={section.title}
        onchange={({ currentTarget: { value } }) =>
          onedit((p) => updateSection(p, section.key, { title: value }))}
      />
      <label class="quiet flex items-center gap-1.5">
        in
        <select
          aria-label="Columns of the section"
          value={section.columns}
          onchange={({ currentTarget: { value } }) =>
            onedit((p) => updateSection(p, section.key, { columns: Number(value) as 1 | 2 | 3 }))}
        >
          <option value={1}>1 column</option>
          <option value={2}>2 columns</option>
          <option value={3}>3 columns</option>
        </select>
      </label>
      {#if plan.sections.length > 1}
        <button
          type="button"
          class="textlink ms-auto"
          onclick={() => onedit((p) => removeSection(p, section.key))}
          >{section === plan.sections[0] ? 'Merge downwards' : 'Merge upwards'}</button
        >
      {/if}
    </div>
    <div
      class="zone"
      use:dndzone={{
        items: items(section),
        type: 'fields',
        flipDurationMs: 0,
        dropTargetStyle: {},
        zoneTabIndex: -1,
        zoneItemTabIndex: -1,
      }}
      onconsider={(event) => consider(section.key, event)}
      onfinalize={(event) => finalize(section.key, event)}
    >
      {#each items(section) as { id, field } (id)}
        {@const editing = open?.field === field.key}
        <div
          role="group"
          aria-label="Line {field.label}"
          onmouseenter={() => onhover(field.key)}
          onmouseleave={() => onhover(null)}
        >
          <div class="line {editing || lit === field.key ? 'lit' : ''}">
            {#each questions as { key: question, label } (question)}
              {@const said = phrase(field, question)}
              <button
                type="button"
                data-cell="{field.key} {question}"
                aria-label="{label} of {field.label}: {said.main || 'nothing'}"
                aria-expanded={editing && open?.question === question}
                class="cell {editing && open?.question === question ? 'open' : ''}"
                onclick={() => toggle(field.key, question)}
                onkeydown={(event) => onlinekey(event, field.key, question)}
              >
                {#if question === 'field'}
                  <span class={editing ? 'font-semibold' : ''}>{said.main}</span>
                {:else if said.main === ''}
                  <span class="text-soft">–</span>
                {:else}
                  <span
                    class={question === 'saves' && field.savesTo === null ? 'text-soft italic' : ''}
                  >
                    {said.main}
                  </span>
                {/if}
                {#if said.more}<span class="quiet block">{said.more}</span>{/if}
              </button>
            {/each}
            <span class="grip" aria-hidden="true" title="Drag the line">⠿</span>
          </div>
          {#if editing && open}
            <!-- svelte-ignore a11y_no_static_element_interactions -->
            <div class="band" onkeydown={onbandkey}>
              <LineBand
                {plan}
                {field}
                question={open.question}
                {tables}
                offered={offered(field.key)}
                {formKey}
                {live}
                {onedit}
                onmove={(by) => move(field.key, 'field', by)}
                oncopy={() => copy(field.key)}
                onremove={() => remove(field.key)}
                onrenamed={(key) => (open = { field: key, question: 'field' })}
              />
            </div>
          {/if}
        </div>
      {/each}
    </div>
  {/each}
  <form class="flex items-center gap-3 px-5 py-2" onsubmit={add}>
    <input
      class="control"
      list="new-fields"
      aria-label="Add a field"
      placeholder="+ Add a field: type a column, a label or a table"
      bind:value={added}
    />
    <datalist id="new-fields">
      {#each unused as { key, label } (key)}
        <option value={label}>column of {target?.title}</option>
      {/each}
      {#each [...tables.values()] as { key, title } (key)}
        <option value={title}>look up the table {title}</option>
      {/each}
    </datalist>
    <button type="submit" class="textlink shrink-0" disabled={added.trim() === ''}>Add</button>
    <button
      type="button"
      class="textlink shrink-0"
      onclick={() => onedit((p) => addSection(p, `Section ${p.sections.length + 1}`))}
      >+ a section</button
    >
  </form>
  <WritesBand {plan} {tables} {live} {onedit} />
</div>

<style>
  .line {
    display: grid;
    position: relative;
    grid-template-columns: 0.95fr 1.5fr 0.8fr 1fr 1.05fr 0.85fr;
    padding: 0 20px;
    border-bottom: 1px solid var(--line-soft);
    background: var(--sheet);
  }
  .head {
    position: sticky;
    top: 0;
    z-index: 2;
    border-bottom: 1px solid var(--line);
    background: var(--paper);
    color: var(--ink-soft);
    font: 600 12px/16px var(--font-sans);
  }
  .head span {
    padding: 8px;
  }
  .section {
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 3px 20px;
    border-bottom: 1px solid var(--line);
    background: var(--paper);
  }
  .title {
    width: 220px;
    padding: 2px 8px;
    border: 1px solid transparent;
    border-radius: 4px;
    background: transparent;
    font: 600 15px/22px var(--font-serif);
  }
  .title:hover {
    border-color: var(--line);
  }
  .section select {
    padding: 0 22px 0 4px;
    border: 0;
    background-color: transparent;
    font-size: 12.5px;
  }
  .zone {
    min-height: 8px;
    outline: none;
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
  .band {
    padding: 10px 28px 12px;
    border-bottom: 1px solid var(--line);
    background: var(--marigold-wash);
    font-size: 13.5px;
  }
</style>
