<script lang="ts">
  import { settlePending } from '$lib/ui/shared/pending';
  import { num, say } from '$lib/core/words/say';
  import { keySaid, matchesAnswer, nothingWanted, type Match } from '$lib/core/contract/answers';
  import { goto, invalidateAll } from '$app/navigation';
  import { Button, Checkbox, Input, Ledger } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom, type Column } from '$lib/core/table/definition';
  import { plainText, typePhrase, type ValueType } from '$lib/core/values/types';
  import { call, type Called } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { canBecome } from '$lib/core/table/retype';
  import RetypeColumn from '$lib/ui/tables/RetypeColumn.svelte';
  import ChangeColumn from '$lib/ui/tables/ChangeColumn.svelte';
  import ChangeFiles from '$lib/ui/tables/ChangeFiles.svelte';
  import TypeEditor from '$lib/ui/tables/TypeEditor.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  let problems = $state.raw<Problem[]>([]);
  let label = $state('');
  let type = $state.raw<ValueType>(plainText);
  let required = $state(false);
  let unique = $state(false);
  /** What is about to be done with a column. */
  let changing = $state.raw<{ column: Column; step: 'rename' | 'remove' | 'options' } | null>(null);
  let retyping = $state.raw<Column | null>(null);
  let proposed = $state.raw<Match | undefined>();
  const address = $derived(`/api/tables/${data.table.key}`);
  /** The tables whose names stand in columns of texts, by column; looked for once the page is there. */
  let names = $state<Record<string, Match>>({});
  const mostLookedAt = 20;

  $effect(() => {
    const texts = data.table.columns.filter(({ type }) => type.kind === 'text');
    const own = address;
    names = {};
    void (async () => {
      for (const { key } of texts.slice(0, mostLookedAt)) {
        const called = await call(matchesAnswer, `${own}/columns/${key}/matches`);
        if (own !== address) return;
        const [best] = called.ok ? called.value : [];
        if (best) names[key] = best;
      }
    })();
  });
  const named = $derived({
    get: (key: string) => data.tables.find((table) => table.key === key),
    lists: new Map(data.listTitles.map((list) => [list.key, list])),
  });
  const titleOf = (key: string) => named.get(key)?.title ?? key;

  async function settle(called: Called<unknown>) {
    problems = called.ok ? [] : called.problems;
    await invalidateAll();
  }

  const patch = (body: object) =>
    call(nothingWanted, address, { method: 'PATCH', body }).then(settle);

  async function rename(box: HTMLInputElement) {
    const called = await call(keySaid, address, {
      method: 'PATCH',
      body: { key: box.value },
    });
    problems = called.ok ? [] : called.problems;
    if (called.ok) await goto(`/tables/${called.value.key}/columns`, { invalidateAll: true });
    else box.value = data.table.key;
  }

  function show(column: Column, shows: boolean) {
    const others = data.table.display.filter((key) => key !== column.key);
    void patch({ display: shows ? [...others, column.key] : others });
  }

  /** Puts a column before the one above it. */
  function move(i: number) {
    const order = data.table.columns.map(({ key }) => key);
    order.splice(i - 1, 0, ...order.splice(i, 1));
    void patch({ order });
  }

  async function goBack(column: Column) {
    const at = `${address}/columns/${column.key}/type`;
    await settle(await call(nothingWanted, at, { method: 'DELETE' }));
  }

  async function ownOptions(column: Column) {
    const at = `${address}/columns/${column.key}`;
    await settle(await call(nothingWanted, at, { method: 'PATCH', body: { listed: null } }));
  }

  async function add(event: SubmitEvent) {
    event.preventDefault();
    await settlePending();
    const key = keyFrom(
      label,
      data.table.columns.map((c) => c.key),
    );
    const called = await call(nothingWanted, `${address}/columns`, {
      body: { key, label, type, required, unique },
    });
    await settle(called);
    if (called.ok) [label, type, required, unique] = ['', plainText, false, false];
  }
</script>

<div class="grid gap-4 px-5 pb-6">
  <label class="grid max-w-[360px] gap-1 font-semibold">
    Title of the table
    <Input
      class="font-normal"
      value={data.table.title}
      onchange={(event) => patch({ title: event.currentTarget.value })}
    />
  </label>
  <label class="grid max-w-[360px] gap-1 font-semibold">
    <span
      >Key <span class="quiet"
        >carried through {data.forms.length === 1
          ? say('1 form')
          : say(`${data.forms.length} forms`)} when it changes</span
      ></span
    >
    <Input
      class="font-normal"
      value={data.table.key}
      onchange={(event) => rename(event.currentTarget)}
    />
  </label>
  <Problems {problems} />
  <Ledger class="border-line border">
    <thead>
      <tr>
        <th>Label</th><th>Key</th><th>Type</th><th>Required</th><th>Unique</th>
        <th>Shows the record</th><th><span class="sr-only">Steps</span></th>
      </tr>
    </thead>
    <tbody>
      {#each data.table.columns as column, i (column.key)}
        <tr>
          <td>
            <Input
              aria-label="Label of {column.key}"
              value={column.label}
              onchange={(event) => patch({ labels: { [column.key]: event.currentTarget.value } })}
            />
          </td>
          <td class="text-soft">
            {column.key}
            <Button
              kind="link"
              aria-label="Change the key of {column.label}"
              onclick={() => (changing = { column, step: 'rename' })}>Change</Button
            >
          </td>
          <td>
            {#if column.type.kind === 'reference'}
              reference to <a class="ref" href="/tables/{column.type.table}"
                >{titleOf(column.type.table)}</a
              >
            {:else}{typePhrase(column.type, named)}{/if}
            {#if column.type.kind === 'files' || canBecome(column.type, plainText)}
              <Button
                kind="link"
                aria-label="Change the type of {column.label}"
                onclick={() => ([retyping, proposed] = [column, undefined])}>Change type</Button
              >
            {/if}
            {#if names[column.key]}
              {@const match = names[column.key] as Match}
              <div class="text-[12.5px]">
                {num(match.matching)} of {num(match.values)} values are in {titleOf(match.table)}.
                <Button kind="link" onclick={() => ([retyping, proposed] = [column, match])}>
                  Refer to {titleOf(match.table)}
                </Button>
              </div>
            {/if}
            {#if data.waysBack[column.key]}
              <Button
                kind="link"
                aria-label="Take the change of type of {column.label} back"
                onclick={() => goBack(column)}>Back to {data.waysBack[column.key]}</Button
              >
            {/if}
            {#if column.type.kind === 'option' && column.type.list === undefined}
              <Button
                kind="link"
                aria-label="Change the options of {column.label}"
                onclick={() => (changing = { column, step: 'options' })}>Options</Button
              >
            {:else if column.type.kind === 'option'}
              <Button
                kind="link"
                aria-label="Give {column.label} options of its own"
                title="The list stays as it is, for whatever else uses it."
                onclick={() => ownOptions(column)}>Options of its own</Button
              >
            {/if}
          </td>
          <td>{column.required ? say('required') : '–'}</td>
          <td>{column.unique ? say('unique') : '–'}</td>
          <td>
            <Checkbox
              aria-label="{column.label} shows the record"
              checked={data.table.display.includes(column.key)}
              onchange={(event) => show(column, event.currentTarget.checked)}
            />
          </td>
          <td class="text-right whitespace-nowrap">
            <Button
              kind="link"
              class="me-2"
              disabled={i === 0}
              aria-label="Move {column.label} up"
              onclick={() => move(i)}>↑</Button
            >
            <Button
              kind="link"
              aria-label="Remove {column.label}"
              onclick={() => (changing = { column, step: 'remove' })}>Remove</Button
            >
          </td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
  <form class="flex flex-wrap items-center gap-3" onsubmit={add}>
    <Input class="w-56!" placeholder="New column" aria-label="New column" bind:value={label} />
    <TypeEditor
      {type}
      tables={data.tables}
      own={data.table.key}
      label="the new column"
      onchange={(t) => (type = t)}
    />
    <label><Checkbox bind:checked={required} /> required</label>
    <label><Checkbox bind:checked={unique} /> unique</label>
    <Button type="submit" kind="other" disabled={label.trim() === ''}>Add the column</Button>
  </form>
</div>

{#if retyping?.type.kind === 'files'}
  <ChangeFiles
    table={data.table}
    column={retyping}
    type={retyping.type}
    onclose={() => (retyping = null)}
    onchanged={() => invalidateAll()}
  />
{:else if retyping}
  <RetypeColumn
    table={data.table}
    column={retyping}
    {proposed}
    best={names[retyping.key]}
    tables={data.tables}
    titles={named}
    onclose={() => (retyping = null)}
    onchanged={() => invalidateAll()}
  />
{/if}
{#if changing}
  <ChangeColumn
    table={data.table}
    column={changing.column}
    step={changing.step}
    onclose={() => (changing = null)}
    onchanged={() => invalidateAll()}
  />
{/if}
