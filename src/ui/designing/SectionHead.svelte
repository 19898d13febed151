<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Checkbox, Input, Select } from '$lib/ui/parts';
  import { copySection } from '$lib/core/plan/copy';
  import { moveSection, removeSection, updateSection } from '$lib/core/plan/edit';
  import type { Plan, Section } from '$lib/core/plan/schema';
  import type { House } from '$lib/core/table/definition';
  import type { LiveScope } from './live-scope';
  import { drawable } from '$lib/ui/tables/view-words';
  import PicturePicked from '$lib/ui/tables/PicturePicked.svelte';
  import MarksPicked from '$lib/ui/tables/MarksPicked.svelte';
  import TotalsPicked from '$lib/ui/tables/TotalsPicked.svelte';
  import FormulaRow from './FormulaRow.svelte';
  import QuestionsBand from './QuestionsBand.svelte';

  interface Props {
    plan: Plan;
    section: Section;
    tables: House;
    onedit: (edit: (plan: Plan) => Plan) => void;
    onfocus: () => void;
    /** What the lines of the grid can name, and what the form around them can. */
    live: LiveScope | null;
    liveAround: LiveScope | null;
  }
  let { plan, section, tables, onedit, onfocus, live, liveAround }: Props = $props();

  let open = $state<'rules' | 'totals' | 'marks' | 'picture' | 'questions' | null>(null);

  const at = $derived(plan.sections.indexOf(section));
  const table = $derived(section.grid ? tables.get(section.grid.table) : undefined);
  const mergeable = $derived(
    section.grid !== null || plan.sections.filter((s) => s.grid === null).length > 1,
  );

  /** The columns of the lines that stand in the grid. */
  const columns = $derived(
    (table?.columns ?? []).filter(({ key }) => section.fields.some((f) => f.savesTo === key)),
  );
  const counted = (n: number) => (n > 0 ? ` (${n})` : '');
  const bands = $derived(
    section.grid
      ? ([
          {
            band: 'rules',
            word: say('Rules'),
            set: counted([section.grid.shownWhen, section.grid.rowsWhen].filter(Boolean).length),
          },
          { band: 'totals', word: say('Totals'), set: counted(section.grid.totals.length) },
          { band: 'marks', word: say('Marks'), set: counted(section.grid.thresholds.length) },
          { band: 'picture', word: say('Picture'), set: counted(section.grid.picture ? 1 : 0) },
        ] as const)
      : [],
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
  <div class="section-row">
    <span class="tag">Page</span>
    <Input
      class="w-56!"
      aria-label="Title of the page"
      placeholder="A page without a title"
      value={section.page}
      onchange={({ currentTarget: { value } }) => change({ page: value.trim() })}
    />
    <Button kind="link" class="ms-auto" onclick={() => change({ page: null })}
      >Remove page break</Button
    >
  </div>
{/if}
<div class="section-row group relative" role="group" aria-label="Section {section.title}">
  <Input
    class="title w-55! border-transparent bg-transparent px-2 font-serif text-[15px]! font-semibold hover:border-line"
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
        <span>as in the view</span>
        <Select
          aria-label="View of the lines"
          value={section.grid.view ?? ''}
          onchange={({ currentTarget: { value } }) => changeGrid({ view: value || null })}
        >
          <option value="">none</option>
          {#each table?.views ?? [] as view (view.key)}
            <option value={view.key}>{view.title}</option>
          {/each}
        </Select>
      </label>
    {/if}
    {#each bands as { band, word, set } (band)}
      <Button
        kind="link"
        aria-expanded={open === band}
        onclick={() => (open = open === band ? null : band)}>{word}{set}</Button
      >
    {/each}
  {:else}
    <Button
      kind="link"
      aria-expanded={open === 'questions'}
      onclick={() => (open = open === 'questions' ? null : 'questions')}
      >{section.questions
        ? say(`Asks ${tables.get(section.questions.table)?.title ?? section.questions.table}`)
        : say('Ask questions')}</Button
    >
    <label class="quiet flex items-center gap-1.5">
      <span>in</span>
      <Select
        aria-label="Columns of the section"
        value={section.columns}
        onchange={({ currentTarget: { value } }) => change({ columns: Number(value) as 1 | 2 | 3 })}
      >
        <option value={1}>1 column</option>
        <option value={2}>2 columns</option>
        <option value={3}>3 columns</option>
      </Select>
    </label>
    <label class="quiet flex items-center gap-1.5">
      <Checkbox
        checked={section.folded}
        onchange={({ currentTarget: { checked } }) => change({ folded: checked })}
      />
      begins folded
    </label>
  {/if}
  <div
    class="bg-paper absolute right-3 flex items-center gap-3 px-2 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
  >
    {#if section.page === null && at > 0}
      <Button kind="link" onclick={() => change({ page: section.title })}>Start a page here</Button>
    {/if}
    <Button
      kind="link"
      disabled={at === 0}
      aria-label="Move the section {section.title} up"
      onclick={() => onedit((p) => moveSection(p, section.key, -1))}>↑</Button
    >
    <Button
      kind="link"
      disabled={at === plan.sections.length - 1}
      aria-label="Move the section {section.title} down"
      onclick={() => onedit((p) => moveSection(p, section.key, 1))}>↓</Button
    >
    {#if !section.grid}
      <Button kind="link" onclick={() => onedit((p) => copySection(p, tables, section.key))}
        >Copy</Button
      >
    {/if}
    {#if mergeable}
      <Button kind="link" onclick={() => onedit((p) => removeSection(p, section.key))}
        >{section.grid
          ? say('Remove')
          : at === 0
            ? say('Merge with next')
            : say('Merge with previous')}</Button
      >
    {/if}
  </div>
</div>
{#if open === 'questions' && !section.grid}
  <div class="border-line bg-wash border-b px-7 py-3 text-[13.5px]">
    <QuestionsBand {plan} {section} {tables} {onedit} />
  </div>
{/if}
{#if section.grid && (open === 'totals' || open === 'marks')}
  {@const { totals, thresholds } = section.grid}
  <div class="border-line bg-wash grid gap-2 border-b px-7 py-3 text-[13.5px]">
    {#if open === 'totals'}
      <TotalsPicked {columns} {totals} onchange={(totals) => changeGrid({ totals })} />
    {:else}
      <MarksPicked {columns} {thresholds} onchange={(thresholds) => changeGrid({ thresholds })} />
    {/if}
  </div>
{:else if section.grid && open === 'picture'}
  {@const { picture } = section.grid}
  {@const [first] = drawable(columns)}
  <div
    class="border-line bg-wash flex flex-wrap items-center gap-2 border-b px-7 py-3 text-[13.5px]"
  >
    {#if picture}
      <PicturePicked
        {columns}
        {picture}
        rows={say('Lines')}
        onpicture={(picture) => changeGrid({ picture })}
      />
      <Button kind="link" onclick={() => changeGrid({ picture: null })}>Draw nothing</Button>
    {:else if first}
      <span class="quiet">Nothing is drawn below the lines.</span>
      <Button kind="link" onclick={() => changeGrid({ picture: { by: first.key, total: null } })}
        >Draw the lines</Button
      >
    {:else}
      <span class="quiet">No column of the lines can be drawn.</span>
    {/if}
  </div>
{:else if section.grid && open === 'rules'}
  <div class="border-line bg-wash grid gap-2.5 border-b px-7 py-3 text-[13.5px]">
    <FormulaRow
      id="grid-{section.key}-shown"
      label="Grid shown when"
      value={section.grid.shownWhen ?? ''}
      placeholder="always"
      live={liveAround}
      says="condition"
      outcome={{ yes: say('shown'), no: say('hidden') }}
      onchange={(shownWhen) => changeGrid({ shownWhen })}
    />
    <FormulaRow
      id="grid-{section.key}-lines"
      label="Lines shown when"
      value={section.grid.rowsWhen ?? ''}
      placeholder="always"
      {live}
      says="condition"
      outcome={{ yes: say('shown'), no: say('hidden') }}
      onchange={(rowsWhen) => changeGrid({ rowsWhen })}
    />
    <p class="quiet m-0">Hidden lines are kept and saved.</p>
  </div>
{/if}
