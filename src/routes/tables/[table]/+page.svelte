<script lang="ts">
  import { mayPlace, mayTable } from '$lib/ui/shared/may';
  import { num, say } from '$lib/core/words/say';
  import { houseOf } from '$lib/core/table/sources';
  import { goto, invalidate, invalidateAll } from '$app/navigation';
  import { page } from '$app/state';
  import { Button } from '$lib/ui/parts';
  import { plain, sameView, type View } from '$lib/core/table/view';
  import AddRecord from '$lib/ui/tables/AddRecord.svelte';
  import FilterBar from '$lib/ui/tables/FilterBar.svelte';
  import ViewBar from '$lib/ui/tables/ViewBar.svelte';
  import RecordsGrid from '$lib/ui/tables/RecordsGrid.svelte';
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
  }

  function address({ view, search, after, trail = [] }: Shown): string {
    // A plain value, made anew for each address.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity
    const query = new URLSearchParams();
    const named = data.table.views?.find((kept) => sameView(kept, view));
    const { filter, sort, group, totals, thresholds } = view;
    if (named) query.set('view', named.key);
    else {
      if (filter.length > 0) query.set('filter', JSON.stringify(filter));
      if (sort.length > 0) query.set('sort', JSON.stringify(sort));
      if (group !== null) query.set('group', group);
      if (totals.length > 0) query.set('totals', JSON.stringify(totals));
      if (thresholds.length > 0) query.set('marks', JSON.stringify(thresholds));
    }
    if (search) query.set('search', search);
    if (after) query.set('after', after);
    for (const before of after ? trail.slice(0, longestTrail) : []) query.append('trail', before);
    return `?${query}`;
  }

  /** Shows the table another way; a changed view begins at its first page. */
  function show({ search = data.search, after, trail, ...change }: Partial<View & Shown>) {
    const view = { ...data.view, ...change };
    void goto(address({ view, search, after, trail }), { keepFocus: true, noScroll: true });
  }

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
      onsearch={(search) => show({ search })}
    />
  </div>
  <div class="min-h-0 flex-1 overflow-auto">
    {#if data.page.records.length > 0}
      <RecordsGrid
        table={data.table}
        {tables}
        records={data.page.records}
        view={data.view}
        totals={data.totals}
        onsort={(sort) => show({ sort })}
        onchanged={refresh}
      />
    {:else if data.view.filter.length > 0 || data.search || data.after}
      <p class="text-soft p-5">
        No record fits. <Button kind="link" onclick={() => show({ filter: [], search: '' })}>
          Show all
        </Button>
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
  <div class="foot h-11 shrink-0 text-[13px]">
    {#if mayTable(data.table.key, 'add')}
      <Button onclick={() => (adding = true)}>Add a record</Button>
    {/if}
    <span class="text-soft">
      {data.page.records.length} shown of {data.page.more ? say('more than ') : ''}{num(
        data.page.total,
      )}
    </span>
    {#if mayTable(data.table.key, 'change')}
      <span class="quiet">Edit a cell <kbd>F2</kbd></span>
    {/if}
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
          Next page <kbd>PgDn</kbd>
        </Button>
      {/if}
    </span>
  </div>
</div>
<AddRecord table={data.table} {tables} bind:open={adding} onadded={refresh} />
