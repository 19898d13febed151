<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { num, plural, say } from '$lib/core/words/say';
  import { formatValue } from '$lib/core/values/format';
  import { reader } from '$lib/core/words/reader';
  import { houseOf } from '$lib/core/table/sources';
  import FilterBar from '$lib/ui/tables/FilterBar.svelte';
  import AnswersTable from '$lib/ui/answers/AnswersTable.svelte';
  import Bars from '$lib/ui/shared/Bars.svelte';
  import Bins from '$lib/ui/shared/Bins.svelte';
  import { answerLines, answersCsv } from '$lib/ui/answers/lines';
  import Months from '$lib/ui/shared/Months.svelte';
  import { Button, DateInput, Select } from '$lib/ui/parts';
  import { readDay } from '$lib/ui/shared/locale';
  import { mayTable } from '$lib/ui/shared/may';
  import Segments from '$lib/ui/shared/Segments.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const tables = $derived(houseOf(data.tables.map((each) => [each.key, each])));
  const table = $derived(tables.get(data.sheets));
  const compares = $derived(data.wish.compare !== 'none');
  const lines = $derived(answerLines(data.counted));
  let asTable = $state(false);

  const segments = $derived([
    ...(mayTable(data.sheets, 'see')
      ? [{ label: say('Sheets'), href: `/tables/${data.sheets}`, current: false }]
      : []),
    { label: say('Answers'), href: page.url.pathname, current: true },
    ...(mayTable(data.asked, 'see')
      ? [{ label: say('Questions'), href: `/tables/${data.asked}`, current: false }]
      : []),
  ]);

  /** Looks at others: a part of the address is another one. */
  function look(name: string, value: string) {
    const url = new URL(page.url);
    if (value === '') url.searchParams.delete(name);
    else url.searchParams.set(name, value);
    void goto(url, { keepFocus: true, noScroll: true });
  }

  /** The questions under their headings. */
  const groups = $derived.by(() => {
    const found: { title: string; questions: typeof data.counted.questions }[] = [];
    for (const question of data.counted.questions) {
      const title = question.kind === null ? say('Asked no more') : question.group;
      const last = found.at(-1);
      if (last?.title === title) last.questions.push(question);
      else found.push({ title, questions: [question] });
    }
    return found;
  });

  /** The average of what was chosen on a scale. */
  function average(bars: (typeof data.counted.questions)[number]['bars'], of: 'n' | 'before') {
    const all = bars.reduce((sum, bar) => sum + bar[of], 0);
    const sum = bars.reduce((total, bar) => total + Number(bar.label) * bar[of], 0);
    return all === 0 ? '–' : num(Math.round((sum / all) * 10) / 10);
  }

  function download() {
    const file = new Blob([answersCsv(lines)], { type: 'text/csv;charset=utf-8' });
    const link = document.createElement('a');
    link.href = URL.createObjectURL(file);
    link.download = `${data.form}-answers.csv`;
    link.click();
    URL.revokeObjectURL(link.href);
  }

  /** The table of answers with those to one question. */
  function textsOf(code: string): string {
    const filter = [{ path: data.codes, operator: 'equal', values: [code] }];
    return `/tables/${data.answers}?filter=${encodeURIComponent(JSON.stringify(filter))}`;
  }

  const dayText = (day: string | undefined) =>
    day === undefined ? '' : formatValue({ kind: 'date' }, day, reader());
</script>

<svelte:head><title>{data.title}, {say('answers')} – Unisor</title></svelte:head>

{#snippet day(name: 'from' | 'to', label: string)}
  <label class="flex items-center gap-2">
    <span class="quiet">{label}</span>
    <span class="w-40">
      <DateInput
        value={dayText(data.wish[name])}
        day={data.wish[name] ?? ''}
        calendar={label}
        aria-label={label}
        onday={(chosen) => look(name, chosen)}
        onchange={(event) => {
          const text = event.currentTarget.value;
          const read = readDay(text);
          if (text.trim() === '' || read !== null) look(name, read ?? '');
        }}
      />
    </span>
  </label>
{/snippet}

<div class="headline">
  <h1>{data.title}</h1>
  <span class="quiet"
    >what was answered · {plural(data.counted.sheets.n, ['# sheet', '# sheets'])}</span
  >
  <div class="ms-auto"><Segments items={segments} label="Parts of the sheets" /></div>
</div>
<div class="border-line bg-sheet flex flex-wrap items-center gap-x-5 gap-y-2 border-y px-5 py-2">
  {#each data.picks as { field, label, value, values } (field)}
    <label class="flex items-center gap-2">
      <span class="quiet">{label}</span>
      <Select
        class="w-auto!"
        value={String(value ?? '')}
        onchange={(event) => look(field, event.currentTarget.value)}
      >
        {#each values as one (one.value)}
          <option value={String(one.value)}>{one.label} ({num(one.sheets)})</option>
        {/each}
      </Select>
    </label>
  {/each}
  {#if data.wish.day !== null}
    {@render day('from', say('From'))}
    {@render day('to', say('To'))}
    <label class="flex items-center gap-2">
      <span class="quiet">Compare with</span>
      <Select
        class="w-auto!"
        value={data.wish.compare}
        onchange={(event) => {
          const { value } = event.currentTarget;
          look('compare', value === 'none' ? '' : value);
        }}
      >
        <option value="none">nothing</option>
        <option value="before">the time before</option>
        <option value="year">the year before</option>
      </Select>
    </label>
  {/if}
  {#if table}
    <FilterBar
      {table}
      {tables}
      conditions={data.wish.filter}
      shownAs={data.filterShown}
      onconditions={(filter) => look('filter', filter.length > 0 ? JSON.stringify(filter) : '')}
    />
  {/if}
  <span class="ms-auto flex flex-wrap items-center gap-4">
    {#if compares}
      <span class="flex items-center gap-1.5">
        <span class="bg-navy inline-block size-3"></span>
        this period, {num(data.counted.sheets.n)}
      </span>
      <span class="quiet flex items-center gap-1.5">
        <span class="hatched inline-block size-3"></span>
        before, {num(data.counted.sheets.before)}
      </span>
    {/if}
    <Button kind="link" aria-pressed={asTable} onclick={() => (asTable = !asTable)}>
      {asTable ? say('As pictures') : say('As a table')}
    </Button>
    <Button kind="link" onclick={download}>Export as CSV</Button>
  </span>
</div>
{#if data.counted.questions.length === 0}
  <p class="quiet px-5">Nothing has been asked here yet.</p>
{:else if asTable}
  <div class="p-5"><AnswersTable {lines} {compares} /></div>
{:else}
  <div class="columns-1 gap-0 xl:columns-2">
    {#each groups as { title, questions }, i (i)}
      <section>
        {#if title !== ''}
          <h2 class="border-line bg-paper border-b px-5 py-1.5">{title}</h2>
        {/if}
        {#each questions as one (one.code)}
          <article
            class="border-line grid break-inside-avoid gap-x-5 gap-y-2 border-b px-5 py-3 sm:grid-cols-[minmax(130px,190px)_1fr_auto]"
          >
            <div>
              <svelte:element
                this={title === '' ? 'h2' : 'h3'}
                class="m-0 font-sans! text-[14px]! font-semibold">{one.text}</svelte:element
              >
              <div class="quiet">
                {num(one.answered.n)} of {num(data.counted.sheets.n)} answered
              </div>
              {#if compares}
                <div class="quiet">
                  before {num(one.answered.before)} of {num(data.counted.sheets.before)}
                </div>
              {/if}
            </div>
            <div class="min-w-0">
              {#if one.spread && one.bins.length > 0}
                <Bins
                  {...{ bins: one.bins, spread: one.spread, spreadBefore: one.spreadBefore }}
                  {...{ unit: one.unit, compares }}
                />
              {:else if one.months.length > 0}
                <Months months={one.months} label={one.text} {compares} />
              {:else if one.bars.length > 0}
                <Bars bars={one.bars} {compares} />
              {:else if one.texts.length > 0}
                <ul class="m-0 grid list-none gap-1.5 p-0">
                  {#each one.texts as { text, sheet, shown }, n (n)}
                    <li class="flex flex-wrap justify-between gap-x-4">
                      <span class="wrap-anywhere">{text}</span>
                      <a class="quiet underline" href="/forms/{data.form}?record={sheet}">{shown}</a
                      >
                    </li>
                  {/each}
                </ul>
                {#if mayTable(data.answers, 'see') && one.answered.n > one.texts.length}
                  <a class="textlink mt-1.5 inline-block" href={textsOf(one.code)}>
                    Search all {num(one.answered.n)}
                  </a>
                {/if}
              {/if}
            </div>
            {#if one.spread}
              <div class="text-end">
                <div class="font-serif text-[20px] font-semibold">
                  {num(Number(one.spread.middle))}
                  {one.unit}
                </div>
                <div class="quiet">half are below</div>
                {#if one.spreadBefore}
                  <div class="quiet">before {num(Number(one.spreadBefore.middle))} {one.unit}</div>
                {/if}
              </div>
            {:else if one.kind === 'rating' && one.answered.n > 0}
              <div class="text-end">
                <div class="font-serif text-[20px] font-semibold">{average(one.bars, 'n')}</div>
                <div class="quiet">on average</div>
                {#if compares}<div class="quiet">before {average(one.bars, 'before')}</div>{/if}
              </div>
            {/if}
          </article>
        {/each}
      </section>
    {/each}
  </div>
{/if}
