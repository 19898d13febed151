<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Checkbox, Select, Textarea } from '$lib/ui/parts';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { invalidate } from '$app/navigation';
  import type { Sight } from '$lib/core/plan/sight';
  import { keyFrom, type House } from '$lib/core/table/definition';
  import { call } from '$lib/ui/shared/api';
  import { reachablePaths } from '$lib/core/table/paths';
  import { type Field } from '$lib/core/plan/schema';
  import { shownPaths } from '$lib/core/plan/held';
  import type { Choices, TableChoices } from '$lib/core/plan/choices';
  import ConditionRows from '$lib/ui/tables/ConditionRows.svelte';
  import PathChips from './PathChips.svelte';

  interface Props {
    /** The scope of the field, and what can be named there. */
    sight: Sight;
    field: Field;
    tables: House;
    onchange: (choices: Choices | null) => void;
  }
  let { sight, field, tables, onchange }: Props = $props();

  const choices = $derived(field.choices);
  const table = $derived(choices?.kind === 'table' ? tables.get(choices.table) : undefined);
  const paths = $derived(table ? reachablePaths(tables, table, 2) : []);
  const list = $derived(choices?.kind === 'options' ? tables.lists.get(choices.list) : undefined);
  /** The fields that can narrow the list: they hold values of the list to which its own belong. */
  const narrowing = $derived(
    sight.named.filter(
      ({ name, type }) =>
        name !== field.key && type.kind === 'option' && list?.of != null && type.list === list.of,
    ),
  );
  let refused = $state('');

  /** Makes an option list of the values that are typed here, and takes them from it. */
  async function lift() {
    if (choices?.kind !== 'values') return;
    const key = keyFrom(field.label, [...tables.lists.keys()]);
    const body = { key, title: field.label, category: say('From forms'), values: choices.values };
    const called = await call(nothingWanted, '/api/lists', { body });
    refused = called.ok ? '' : (called.problems[0]?.message ?? '');
    if (!called.ok) return;
    await invalidate('unisor:tables');
    onchange({ kind: 'options', list: key, by: null });
  }

  function update(change: Partial<TableChoices>) {
    if (choices?.kind === 'table') onchange({ ...choices, ...change });
  }

  function store(word: string, current: TableChoices) {
    if (word === '') return update({ stores: { kind: 'link' }, distinct: false });
    update({
      stores: { kind: 'copy', column: word },
      shown: current.distinct ? [word] : current.shown,
    });
  }

  function valuesFrom(text: string) {
    const values = text
      .split('\n')
      .map((line) => line.trim())
      .filter((line) => line !== '');
    const options = [...new Set(values)].map((value) => ({ value, label: value }));
    onchange({ kind: 'values', values: options });
  }
</script>

<div class="grid gap-2.5">
  {#if choices?.kind === 'table' && table}
    <div class="flex flex-wrap items-center gap-2">
      <label for="choices-stores">the field</label>
      <Select
        id="choices-stores"
        class="w-auto!"
        value={choices.stores.kind === 'copy' ? choices.stores.column : ''}
        onchange={(event) => store(event.currentTarget.value, choices)}
      >
        <option value="">keeps the link to the record</option>
        {#each table.columns as { key, label } (key)}
          <option value={key}>copies {label}</option>
        {/each}
      </Select>
      {#if choices.stores.kind === 'copy'}
        <label class="flex items-center gap-1.5">
          <Checkbox
            checked={choices.distinct}
            onchange={(event) => update({ distinct: event.currentTarget.checked })}
          /> each value once
        </label>
      {/if}
      <label for="choices-typed">chosen by</label>
      <Select
        id="choices-typed"
        class="w-auto!"
        value={choices.typedBy ?? ''}
        onchange={(event) => update({ typedBy: event.currentTarget.value || null })}
      >
        <option value="">the list</option>
        {#each table.columns.filter((c) => c.type.kind !== 'reference') as { key, label } (key)}
          <option value={key}>typing {label}</option>
        {/each}
      </Select>
    </div>
  {/if}

  {#if choices?.kind === 'values'}
    <label class="grid max-w-[300px] gap-1">
      <span>One value per line</span>
      <Textarea
        class="h-24!"
        value={choices.values.map((option) => option.label).join('\n')}
        onchange={(event) => valuesFrom(event.currentTarget.value)}
      ></Textarea>
    </label>
    {#if choices.values.length > 0}
      <div>
        <Button kind="link" onclick={lift}>Turn them into an option list</Button>
        {#if refused}<span class="text-crimson" role="alert">{refused}</span>{/if}
      </div>
    {/if}
  {:else if choices?.kind === 'options'}
    <div class="flex flex-wrap items-center gap-2">
      {#if list}
        <a class="ref" href="/lists/{list.key}">{list.title}</a>
        <span class="quiet">{list.values.length} values</span>
        {#if list.of !== null}
          <label for="options-by">those that belong to</label>
          <Select
            id="options-by"
            class="w-auto!"
            value={choices.by ?? ''}
            onchange={({ currentTarget: { value } }) => onchange({ ...choices, by: value || null })}
          >
            <option value="">anything</option>
            {#each narrowing as { name, label } (name)}<option value={name}>{label}</option>{/each}
          </Select>
        {/if}
      {/if}
    </div>
  {:else if choices?.kind === 'table' && table}
    {#if !choices.distinct}
      <div class="flex flex-wrap items-center gap-2">
        <span>shows</span>
        <PathChips
          chosen={choices.shown}
          {paths}
          word="Show"
          onchange={(shown) => update({ shown })}
        />
        <label for="choices-order">in the order of</label>
        <Select
          id="choices-order"
          class="w-auto!"
          value={choices.order[0]?.path ?? ''}
          onchange={({ currentTarget: { value: path } }) =>
            update({ order: path ? [{ path, descending: false }] : [] })}
        >
          <option value="">entry</option>
          {#each paths as { path, label } (path)}<option value={path}>{label}</option>{/each}
        </Select>
        {#if choices.order[0]}
          {@const [first, ...rest] = choices.order}
          <label class="flex items-center gap-1.5">
            <Checkbox
              checked={first?.descending}
              onchange={(event) =>
                first &&
                update({ order: [{ ...first, descending: event.currentTarget.checked }, ...rest] })}
            /> last first
          </label>
        {/if}
      </div>
    {/if}
    <label class="flex items-start gap-1.5">
      <Checkbox
        class="mt-0.5"
        checked={choices.everyone === true}
        onchange={(event) => update({ everyone: event.currentTarget.checked || undefined })}
      />
      <span>
        Everything, whoever fills the form in
        <span class="quiet block">Otherwise people are offered what they may see elsewhere.</span>
      </span>
    </label>
    {#if !choices.distinct}
      <div class="flex flex-wrap items-center gap-2">
        <label class="flex items-center gap-1.5">
          <Checkbox
            checked={choices.guests !== undefined}
            onchange={({ currentTarget: { checked } }) =>
              update({ guests: checked ? shownPaths(choices, tables) : undefined })}
          /> Guests see other columns
        </label>
        {#if choices.guests}
          <PathChips
            chosen={choices.guests}
            {paths}
            word="Show guests"
            onchange={(guests) => update({ guests: guests.length > 0 ? guests : undefined })}
          />
        {/if}
      </div>
    {/if}
    <ConditionRows
      {table}
      {tables}
      conditions={choices.conditions}
      onchange={(conditions) => update({ conditions })}
    />
  {/if}
</div>
