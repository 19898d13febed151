<script lang="ts">
  import { copySection } from '$lib/core/plan/copy';
  import { moveSection, removeSection, updateSection } from '$lib/core/plan/edit';
  import type { Plan, Section } from '$lib/core/plan/schema';
  import type { House } from '$lib/core/table/definition';

  interface Props {
    plan: Plan;
    section: Section;
    tables: House;
    onedit: (edit: (plan: Plan) => Plan) => void;
    onfocus: () => void;
  }
  let { plan, section, tables, onedit, onfocus }: Props = $props();

  const at = $derived(plan.sections.indexOf(section));
  const table = $derived(section.grid ? tables.get(section.grid.table) : undefined);
  const mergeable = $derived(
    section.grid !== null || plan.sections.filter((s) => s.grid === null).length > 1,
  );

  const change = (changed: Parameters<typeof updateSection>[2]) =>
    onedit((p) => updateSection(p, section.key, changed));

  function changeGrid(changed: Partial<NonNullable<Section['grid']>>) {
    const { grid } = section;
    if (grid) change({ grid: { ...grid, ...changed } });
  }

  function onkeydown(event: KeyboardEvent) {
    if (event.altKey && event.key === 'ArrowUp') onedit((p) => moveSection(p, section.key, -1));
    else if (event.altKey && event.key === 'ArrowDown') {
      onedit((p) => moveSection(p, section.key, 1));
    } else if (event.ctrlKey && event.key.toLowerCase() === 'd' && !section.grid) {
      onedit((p) => copySection(p, tables, section.key));
    } else return;
    event.preventDefault();
  }
</script>

{#if section.page !== null}
  <div class="page">
    <span class="tag">Page</span>
    <input
      class="control w-56!"
      aria-label="Title of the page"
      placeholder="A page without a title"
      value={section.page}
      onchange={({ currentTarget: { value } }) => change({ page: value.trim() })}
    />
    <button type="button" class="textlink ms-auto" onclick={() => change({ page: null })}
      >No page begins here</button
    >
  </div>
{/if}
<div class="section" role="group" aria-label="Section {section.title}">
  <input
    class="title"
    aria-label="Title of the section"
    placeholder="A section without a title"
    value={section.title}
    onchange={({ currentTarget: { value } }) => change({ title: value })}
    {onkeydown}
    {onfocus}
  />
  {#if section.grid}
    <span class="quiet">
      {#if section.grid.within !== null}
        in each line of {plan.sections.find((s) => s.key === section.grid?.within)?.title ??
          section.grid.within}:
      {/if}
      lines of {table?.title.toLowerCase() ?? section.grid.table}, linked by {section.grid.link}
    </span>
    {#if (table?.views ?? []).length > 0 || section.grid.view !== null}
      <label class="quiet flex items-center gap-1.5">
        sums and marks
        <select
          aria-label="View of the lines"
          value={section.grid.view ?? ''}
          onchange={({ currentTarget: { value } }) => changeGrid({ view: value || null })}
        >
          <option value="">none</option>
          {#each table?.views ?? [] as view (view.key)}
            <option value={view.key}>{view.title}</option>
          {/each}
        </select>
      </label>
    {/if}
    <label class="quiet flex items-center gap-1.5">
      shown when
      <input
        class="control h-6! w-40! font-mono text-[12px]!"
        aria-label="The lines are shown when"
        placeholder="always"
        value={section.grid.shownWhen ?? ''}
        onchange={({ currentTarget: { value } }) => changeGrid({ shownWhen: value.trim() || null })}
      />
    </label>
    <label class="quiet flex items-center gap-1.5">
      lines in sight when
      <input
        class="control h-6! w-40! font-mono text-[12px]!"
        aria-label="A line stands in sight when"
        placeholder="always"
        title="A formula over the line, and parent.… for the form; the other lines are kept and saved"
        value={section.grid.rowsWhen ?? ''}
        onchange={({ currentTarget: { value } }) => changeGrid({ rowsWhen: value.trim() || null })}
      />
    </label>
  {:else}
    <label class="quiet flex items-center gap-1.5">
      in
      <select
        aria-label="Columns of the section"
        value={section.columns}
        onchange={({ currentTarget: { value } }) => change({ columns: Number(value) as 1 | 2 | 3 })}
      >
        <option value={1}>1 column</option>
        <option value={2}>2 columns</option>
        <option value={3}>3 columns</option>
      </select>
    </label>
  {/if}
  <div class="steps ms-auto flex items-center gap-3">
    {#if section.page === null && at > 0}
      <button type="button" class="textlink" onclick={() => change({ page: section.title })}
        >Begin a page</button
      >
    {/if}
    <button
      type="button"
      class="textlink"
      disabled={at === 0}
      aria-label="Move the section {section.title} up"
      onclick={() => onedit((p) => moveSection(p, section.key, -1))}>↑</button
    >
    <button
      type="button"
      class="textlink"
      disabled={at === plan.sections.length - 1}
      aria-label="Move the section {section.title} down"
      onclick={() => onedit((p) => moveSection(p, section.key, 1))}>↓</button
    >
    {#if !section.grid}
      <button
        type="button"
        class="textlink"
        onclick={() => onedit((p) => copySection(p, tables, section.key))}>Copy</button
      >
    {/if}
    {#if mergeable}
      <button
        type="button"
        class="textlink"
        onclick={() => onedit((p) => removeSection(p, section.key))}
        >{section.grid ? 'Remove' : at === 0 ? 'Merge downwards' : 'Merge upwards'}</button
      >
    {/if}
  </div>
</div>

<style>
  .section,
  .page {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 2px 12px;
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
  .section label {
    white-space: nowrap;
  }
  .section select {
    padding: 0 22px 0 4px;
    border: 0;
    background-color: transparent;
    font-size: 12.5px;
  }
  .steps {
    opacity: 0;
  }
  .section:hover .steps,
  .section:focus-within .steps {
    opacity: 1;
  }
</style>
