<script lang="ts">
  import { foundWords } from '$lib/core/words/about';
  import { untrack } from 'svelte';
  import { mayPlace, mayTable } from '$lib/ui/shared/may';
  import { num, say } from '$lib/core/words/say';
  import { houseOf } from '$lib/core/table/sources';
  import { goto, invalidate, invalidateAll } from '$app/navigation';
  import { page } from '$app/state';
  import { Button } from '$lib/ui/parts';
  import {
    columnsShown,
    mostOpenGroups,
    plain,
    sameView,
    type GroupRow,
    type View,
  } from '$lib/core/table/view';
  import { sameValue, type Value } from '$lib/core/values/types';
  import { lookedWords } from '$lib/ui/shared/looked';
  import AddRecord from '$lib/ui/tables/AddRecord.svelte';
  import { ChosenRecords } from '$lib/ui/tables/chosen.svelte';
  import ChosenBar from '$lib/ui/tables/ChosenBar.svelte';
  import FilterBar from '$lib/ui/tables/FilterBar.svelte';
  import ViewBar from '$lib/ui/tables/ViewBar.svelte';
  import RecordsGrid from '$lib/ui/tables/RecordsGrid.svelte';
  import SlowHint from '$lib/ui/tables/SlowHint.svelte';
  import TablePicture from '$lib/ui/tables/TablePicture.svelte';
  import WordsHint from '$lib/ui/tables/WordsHint.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  let adding = $state(false);
  const tables = $derived(houseOf(data.tables.map((table) => [table.key, table])));

  interface Shown {
    view: View;
    search: string;
    after?: string;
    /** Where the pages before began, the first one last. */
    trail?: readonly string[];
    /** The groups that are open; as many as fit where nobody said. */
    open?: readonly { value: Value; after: string | null }[];
  }

  function address({ view, search, after, trail = [], open }: Shown): string {
    // A plain value, made anew for each address.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity
    const query = new URLSearchParams();
    const named = data.table.views?.find((kept) => sameView(kept, view));
    const { filter, sort, group, groupOrder, columns, picture, totals, thresholds } = view;
    if (named) query.set('view', named.key);
    else {
      if (filter.length > 0) query.set('filter', JSON.stringify(filter));
      if (sort.length > 0) query.set('sort', JSON.stringify(sort));
      if (group !== null) query.set('group', group);
      if (groupOrder !== 'value') query.set('order', JSON.stringify(groupOrder));
      if (columns) query.set('columns', JSON.stringify(columns));
      if (picture) query.set('picture', JSON.stringify(picture));
      if (totals.length > 0) query.set('totals', JSON.stringify(totals));
      if (thresholds.length > 0) query.set('marks', JSON.stringify(thresholds));
    }
    if (search) query.set('search', search);
    if (open) query.set('open', JSON.stringify(open));
    if (after) query.set('after', after);
    for (const before of after ? trail.slice(0, longestTrail) : []) query.append('trail', before);
    return `?${query}`;
  }

  /** Shows the table another way; a changed view begins at its first page. */
  function show({
    search = data.search,
    after,
    trail,
    open,
    replaceState = false,
    ...change
  }: Partial<View & Shown & { replaceState: boolean }>) {
    const view = { ...data.view, ...change };
    const to = address({ view, search, after, trail, open });
    return goto(to, { keepFocus: true, noScroll: true, replaceState });
  }

  /** Opens a group from a record on, or folds it; the others stay as they are. */
  function fold({ value }: GroupRow, open: { after: string | null } | null) {
    const others = data.totals.groups.flatMap((group) =>
      group.open && !sameValue(group.value, value)
        ? [{ value: group.value, after: group.begins }]
        : [],
    );
    const kept = others.slice(1 - mostOpenGroups);
    void show({ open: open ? [...kept, { value, ...open }] : others });
  }

  function widen(column: string, width: number) {
    const shown = columnsShown(data.table.columns, data.view).map(({ key }) => ({
      column: key,
      width: data.view.columns?.find((one) => one.column === key)?.width ?? null,
    }));
    const columns = shown.map((one) => (one.column === column ? { column, width } : one));
    void show({ columns, ...place, replaceState: true });
  }

  /** Where one is, for what changes only how it looks. */
  const place = $derived({
    ...(data.after ? { after: data.after, trail: page.url.searchParams.getAll('trail') } : {}),
    ...(page.url.searchParams.has('open')
      ? {
          open: data.totals.groups
            .filter((group) => group.open)
            .map(({ value, begins }) => ({ value, after: begins })),
        }
      : {}),
  });

  const chosen = new ChosenRecords();
  const chooses = $derived(
    mayTable(data.table.key, 'change') || mayTable(data.table.key, 'remove'),
  );
  $effect(() => {
    void data.table.key;
    untrack(() => chosen.clear());
  });
  $effect(() => {
    const { records } = data.page;
    untrack(() => chosen.renew(records));
  });
  /** What is looked at, as a list is asked for it. */
  const fits = $derived.by(() => {
    // eslint-disable-next-line svelte/prefer-svelte-reactivity
    const query = new URLSearchParams();
    const { filter, sort } = data.view;
    if (filter.length > 0) query.set('filter', JSON.stringify(filter));
    if (sort.length > 0) query.set('sort', JSON.stringify(sort));
    if (data.search) query.set('search', data.search);
    return String(query);
  });

  /** So many pages back are known. */
  const longestTrail = 20;
  const trail = $derived(page.url.searchParams.getAll('trail'));

  const goOn = () =>
    data.page.next && show({ after: data.page.next, trail: [data.after ?? '', ...trail] });
  function goBack() {
    const [before, ...rest] = trail;
    show(before ? { after: before, trail: rest } : {});
  }

  const outs = [
    { format: 'csv', label: 'CSV' },
    { format: 'xlsx', label: say('spreadsheet') },
    { format: 'jsonl', label: 'JSON Lines' },
  ];
  /** The address of what is shown, as a file. */
  function taken(format: string): string {
    const query = address({ view: data.view, search: data.search }).slice(1);
    return `/api/tables/${data.table.key}/export?format=${format}&${query}`;
  }

  const refresh = () => void invalidate('unisor:records');

  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'PageDown' && data.page.next) goOn();
    else if (event.key === 'PageUp' && data.after) goBack();
    else return;
    event.preventDefault();
  }
</script>

<svelte:window {onkeydown} />

<div class="flex h-full flex-col">
  <div
    class="border-line bg-sheet flex min-h-11 flex-wrap items-center gap-x-3 gap-y-1.5 border-t border-b px-5 py-1.5 text-[13px] print:hidden"
  >
    <ViewBar
      table={data.table}
      view={data.view}
      onview={(view) => show(plain(view))}
      onkept={() => void invalidateAll()}
    />
    <FilterBar
      table={data.table}
      {tables}
      conditions={data.view.filter}
      shownAs={data.filterShown}
      search={data.search}
      onconditions={(filter) => show({ filter })}
      onsearch={(search) => {
        if (search !== data.search) void show({ search, replaceState: data.search !== '' });
      }}
    />
  </div>
  {#if data.slow}
    <SlowHint
      table={data.table}
      slow={data.slow}
      records={data.slow.size}
      clustered={data.slow.clustered}
    />
  {/if}
  {#if data.words && data.words.lacking.length + data.words.underWay.length > 0}
    <WordsHint
      table={data.table}
      words={data.words}
      records={data.words.size}
      ondone={() => void invalidateAll()}
    />
  {/if}
  <div class="flex min-h-0 flex-1 max-md:flex-col-reverse max-md:overflow-auto">
    <div class="min-h-0 min-w-0 flex-1 overflow-auto max-md:overflow-visible">
      {#if data.page.records.length > 0 || data.totals.groups.length > 0}
        <RecordsGrid
          table={data.table}
          {tables}
          records={data.page.records}
          view={data.view}
          totals={data.totals}
          onsort={(sort) => show({ sort })}
          onfold={fold}
          onwiden={widen}
          chosen={chooses ? chosen : undefined}
          onchanged={refresh}
        />
        {#if data.totals.more}
          <p class="quiet px-5 py-2">
            There are more groups: the first {num(data.totals.groups.length)} are shown.
          </p>
        {/if}
      {:else if data.view.filter.length > 0 || data.search || data.after}
        <p class="text-soft p-5">
          {#if data.page.looked}
            Nothing found so far: {lookedWords(data.page.looked)}.
            <Button kind="link" onclick={goOn}>Look further</Button>
          {:else}
            No record fits. <Button kind="link" onclick={() => show({ filter: [], search: '' })}>
              Show all
            </Button>
          {/if}
        </p>
      {:else}
        <p class="text-soft p-5">
          {#if mayPlace('tables')}
            {data.table.title} has no records yet. Add one, or
            <a class="textlink" href="/tables/{data.table.key}/bring">import rows</a>.
          {:else}
            {data.table.title} has no records that you may see.
          {/if}
        </p>
      {/if}
    </div>
    {#if data.view.picture}
      <TablePicture
        table={data.table}
        picture={data.view.picture}
        pictured={data.pictured}
        onpicture={(picture) => show({ picture, ...place })}
        onnarrow={(condition) => show({ filter: [...data.view.filter, condition] })}
      />
    {/if}
  </div>
  {#if chosen.count > 0}
    <div class="border-line bg-wash border-t px-5 py-1.5 text-[13px] print:hidden">
      <ChosenBar
        table={data.table}
        {tables}
        {chosen}
        total={data.page.total}
        query={fits}
        onchanged={refresh}
      />
    </div>
  {/if}
  <div class="foot h-11 shrink-0 text-[13px]">
    {#if mayTable(data.table.key, 'add')}
      <Button onclick={() => (adding = true)}>Add a record</Button>
    {/if}
    <span class="text-soft">
      {#if data.page.looked}
        {num(data.page.records.length)} found · {lookedWords(data.page.looked)}
      {:else}
        {data.page.records.length} shown of {foundWords(data.page.total, data.page.more)}
      {/if}
    </span>
    {#if mayTable(data.table.key, 'change')}
      <span class="quiet">Edit a cell <kbd>F2</kbd></span>
    {/if}
    {#if chooses}<span class="quiet">Choose a record <kbd>Space</kbd></span>{/if}
    <span class="text-soft flex gap-2">
      Export as
      {#each outs as { format, label } (format)}
        <a class="textlink" href={taken(format)} download>{label}</a>
      {/each}
    </span>
    <span class="ms-auto flex gap-4">
      {#if data.after}
        <Button kind="link" onclick={goBack}>
          {trail.length > 0 ? say('Previous page') : say('First page')} <kbd>PgUp</kbd>
        </Button>
      {/if}
      {#if data.page.next}
        <Button kind="link" onclick={goOn}>
          {data.page.looked ? say('Look further') : say('Next page')} <kbd>PgDn</kbd>
        </Button>
      {/if}
    </span>
  </div>
</div>
<AddRecord table={data.table} {tables} bind:open={adding} onadded={refresh} />
