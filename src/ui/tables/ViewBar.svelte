<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { Button, Input, Select } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom, type Table } from '$lib/core/table/definition';
  import {
    groupOrders,
    plain,
    plainView,
    sameView,
    type NamedView,
    type View,
  } from '$lib/core/table/view';
  import { severalIn } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import ColumnsPicked from './ColumnsPicked.svelte';
  import MarksPicked from './MarksPicked.svelte';
  import TotalsPicked from './TotalsPicked.svelte';
  import { groupOrderWords } from './view-words';

  interface Props {
    table: Table;
    view: View;
    onview: (view: View) => void;
    /** Called when the named views of the table are others. */
    onkept: () => void;
  }
  let { table, view, onview, onkept }: Props = $props();

  let open = $state<'columns' | 'totals' | 'marks' | 'keep' | null>(null);
  let title = $state('');
  let problems = $state.raw<Problem[]>([]);

  const views = $derived(table.views ?? []);
  const current = $derived(views.find((named) => sameView(named, view)));
  const groupable = $derived(table.columns.filter(({ type }) => !severalIn(type)));

  /** What makes a good picture to begin with. */
  const drawn = new Set(['option', 'reference', 'yes_no', 'date']);

  const change = (changed: Partial<View>) => onview({ ...plain(view), ...changed });

  /** Keeps a view under its name, or lets one go; what others do to other views meanwhile stands. */
  async function changeViews(body: { keeps: NamedView[] } | { drops: string[] }) {
    const address = `/api/tables/${table.key}`;
    const called = await call(nothingWanted, address, { method: 'PATCH', body: { views: body } });
    problems = called.ok ? [] : called.problems;
    if (called.ok) onkept();
  }

  async function keep() {
    const name = title.trim();
    if (name === '') return;
    const same = views.find((named) => named.title.toLowerCase() === name.toLowerCase());
    const taken = views.map((named) => named.key);
    const key = same?.key ?? keyFrom(name, taken);
    await changeViews({ keeps: [{ ...plain(view), key, title: name }] });
    [open, title] = [null, ''];
  }
</script>

<div class="contents" role="group" aria-label="View">
  <label class="flex items-center gap-1.5">
    <span class="quiet">View</span>
    <Select
      class="h-7! w-auto! py-0!"
      value={current?.key ?? ''}
      onchange={({ currentTarget: { value } }) =>
        onview(views.find((named) => named.key === value) ?? plainView)}
    >
      <option value="">{sameView(view, plainView) ? say('all records') : say('not saved')}</option>
      {#each views as named (named.key)}<option value={named.key}>{named.title}</option>{/each}
    </Select>
  </label>
  <label class="flex items-center gap-1.5">
    <span class="quiet">grouped by</span>
    <Select
      class="h-7! w-auto! py-0!"
      value={view.group ?? ''}
      onchange={({ currentTarget: { value } }) => change({ group: value || null })}
    >
      <option value="">nothing</option>
      {#each groupable as column (column.key)}
        <option value={column.key}>{column.label}</option>
      {/each}
    </Select>
  </label>
  {#if view.group !== null}
    <label class="flex items-center gap-1.5">
      <span class="quiet">in order of</span>
      <Select
        class="h-7! w-auto! py-0!"
        value={view.groupOrder}
        onchange={({ currentTarget: { value } }) =>
          change({ groupOrder: groupOrders.find((order) => order === value) ?? 'value' })}
      >
        {#each groupOrders as order (order)}
          {#if view.totals.length > 0 || !['greatest', 'least'].includes(order)}
            <option value={order}>{groupOrderWords[order]}</option>
          {/if}
        {/each}
      </Select>
    </label>
  {/if}
  <Button
    kind="link"
    aria-expanded={open === 'columns'}
    onclick={() => (open = open === 'columns' ? null : 'columns')}
    >Columns{view.columns ? ` (${view.columns.length})` : ''}</Button
  >
  <Button
    kind="link"
    aria-expanded={open === 'totals'}
    onclick={() => (open = open === 'totals' ? null : 'totals')}
    >Totals{view.totals.length > 0 ? ` (${view.totals.length})` : ''}</Button
  >
  <Button
    kind="link"
    aria-expanded={open === 'marks'}
    onclick={() => (open = open === 'marks' ? null : 'marks')}
    >Marks{view.thresholds.length > 0 ? ` (${view.thresholds.length})` : ''}</Button
  >
  {#if view.picture === null && groupable[0]}
    {@const by =
      view.group ?? (groupable.find(({ type }) => drawn.has(type.kind)) ?? groupable[0]).key}
    <Button kind="link" onclick={() => change({ picture: { by, total: null } })}>Picture</Button>
  {/if}
  <span class="border-line flex gap-4 border-e pe-3">
    {#if current}
      <Button kind="link" onclick={() => changeViews({ drops: [current.key] })}
        >Remove this view</Button
      >
    {:else if !sameView(view, plainView)}
      <Button
        kind="link"
        aria-expanded={open === 'keep'}
        onclick={() => (open = open === 'keep' ? null : 'keep')}
      >
        Save view</Button
      >
    {/if}
  </span>
</div>
<div class="order-last basis-full empty:hidden"><Problems {problems} /></div>
{#if open === 'columns'}
  <div class="order-last grid basis-full gap-2 py-2" role="group" aria-label="Columns">
    <ColumnsPicked
      columns={table.columns}
      shown={view.columns}
      onchange={(columns) => change({ columns })}
    />
  </div>
{:else if open === 'totals'}
  <div class="order-last grid basis-full gap-2 py-2" role="group" aria-label="Totals">
    <TotalsPicked
      columns={table.columns}
      totals={view.totals}
      onchange={(totals) => change({ totals })}
    />
  </div>
{:else if open === 'marks'}
  <div class="order-last grid basis-full gap-2 py-2" role="group" aria-label="Marks">
    <MarksPicked
      columns={table.columns}
      thresholds={view.thresholds}
      onchange={(thresholds) => change({ thresholds })}
    />
  </div>
{:else if open === 'keep'}
  <form
    class="order-last flex basis-full items-center gap-2 py-2"
    onsubmit={(event) => {
      event.preventDefault();
      void keep();
    }}
  >
    <label class="flex items-center gap-2">
      Save it as <Input class="w-56!" aria-label="Name of the view" bind:value={title} />
    </label>
    <Button type="submit">Save view</Button>
    <span class="quiet">Grids of forms can use it too.</span>
  </form>
{/if}
