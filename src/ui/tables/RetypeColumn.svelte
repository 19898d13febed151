<script lang="ts">
  import { settlePending } from '$lib/ui/shared/pending';
  import { untrack } from 'svelte';
  import { num, plural, say } from '$lib/core/words/say';
  import { nothingWanted, retypingAnswer, type Retyping } from '$lib/core/contract/answers';
  import type { Column, Table } from '$lib/core/table/definition';
  import { kindsAfter } from '$lib/core/table/retype';
  import { isLink, severalIn, typePhrase, type ValueType } from '$lib/core/values/types';
  import type { Problem } from '$lib/core/problems';
  import { Button, Checkbox, Input, Ledger, Modal, Select } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import TypeEditor from './TypeEditor.svelte';

  interface Props {
    table: Table;
    column: Column;
    tables: readonly Table[];
    /** Tables and option lists by their keys, as they are called. */
    titles: Parameters<typeof typePhrase>[1];
    /** What its values say that it is: names in a column of another table. */
    proposed?: { table: string; column: string } | undefined;
    /** The table that fits best, with which a reference begins. */
    best?: { table: string; column: string } | undefined;
    onclose: () => void;
    onchanged: () => void;
  }
  let { table, column, tables, titles, proposed, best, onclose, onchanged }: Props = $props();

  let type = $state.raw(
    untrack((): ValueType =>
      proposed ? { kind: 'reference', table: proposed.table } : column.type,
    ),
  );
  let required = $state(untrack(() => column.required));
  let unique = $state(untrack(() => column.unique));
  let by = $state<string | null>(untrack(() => proposed?.column ?? null));
  let corrections = $state<Record<string, string>>({});
  let empties = $state(false);
  let told = $state.raw<Retyping | null>(null);
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);
  let turn = 0;

  const address = $derived(`/api/tables/${table.key}/columns/${column.key}/type`);
  const to = $derived(
    isLink(type) ? tables.find(({ key }) => key === (type as { table: string }).table) : undefined,
  );
  const named = $derived(by ?? to?.display[0] ?? null);
  /** Empty corrections stand for none. */
  const wish = $derived({ type, required, unique, by: to ? named : null, corrections, empties });

  $effect(() => {
    const body = $state.snapshot({ ...wish, empties: false });
    const own = ++turn;
    const timer = setTimeout(async () => {
      const called = await call(retypingAnswer, address, { body });
      if (own !== turn) return;
      told = called.ok ? called.value : null;
      problems = called.ok ? [] : called.problems;
    }, 200);
    return () => clearTimeout(timer);
  });

  const values = (n: number) => plural(n, ['# value', '# values']);
  const using = $derived((told?.breaks ?? []).filter(({ inUse }) => inUse));

  function become(chosen: ValueType) {
    const begins = isLink(chosen) && !isLink(type);
    const table = begins && best ? { table: best.table } : {};
    [type, by] = [{ ...chosen, ...table } as ValueType, (begins && best?.column) || null];
    // What holds several values can be neither.
    if (chosen.kind === 'references') [required, unique] = [false, false];
  }

  async function change(event: SubmitEvent) {
    event.preventDefault();
    await settlePending();
    if (busy) return;
    busy = true;
    const called = await call(nothingWanted, address, {
      method: 'PUT',
      body: $state.snapshot(wish),
    });
    busy = false;
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    onchanged();
    onclose();
  }
</script>

<Modal open size="md" title={say(`Change the type of ${column.label}`)} {onclose}>
  <form class="grid gap-3" onsubmit={change}>
    <div class="flex flex-wrap items-center gap-3">
      <TypeEditor
        {type}
        {tables}
        label={column.label}
        among={kindsAfter(column.type)}
        distinct={(told?.misfits ?? []).map(({ text }) => text)}
        onchange={become}
      />
      {#if type.kind !== 'references'}
        <Checkbox bind:checked={required}>required</Checkbox>
        <Checkbox bind:checked={unique}>unique</Checkbox>
      {/if}
    </div>
    {#if to && !(isLink(column.type) && column.type.table === to.key)}
      <label class="flex flex-wrap items-center gap-2">
        <span>{column.label} holds of each {to.title.toLowerCase()} its</span>
        <Select
          class="w-auto!"
          value={named ?? ''}
          onchange={(event) => (by = event.currentTarget.value)}
        >
          {#each to.columns.filter((one) => !severalIn(one.type)) as { key, label } (key)}<option
              value={key}>{label}</option
            >{/each}
        </Select>
      </label>
    {/if}
    {#if told}
      <p class="m-0">
        <b>{num(told.fits)}</b> of {values(told.records - told.empty)} become {typePhrase(
          type,
          titles,
        )}{told.misfitting === 0 ? '.' : say(`; ${num(told.misfitting)} do not fit.`)}
        {#if told.empty > 0}
          <span class="quiet"
            >{plural(told.empty, ['# record has none.', '# records have none.'])}</span
          >
        {/if}
      </p>
      {#if told.misfits.length > 0 || Object.keys(corrections).length > 0}
        <div class="max-h-60 overflow-auto">
          <Ledger class="border-line border">
            <thead
              ><tr><th>What does not fit</th><th class="num">Records</th><th>Use instead</th></tr
              ></thead
            >
            <tbody>
              {#each told.misfits as { text, count } (text)}
                <tr>
                  <td>{text}</td>
                  <td class="num">{num(count)}</td>
                  <td>
                    <Input
                      aria-label="Instead of {text}"
                      value={corrections[text] ?? ''}
                      onchange={(event) =>
                        (corrections = { ...corrections, [text]: event.currentTarget.value })}
                    />
                  </td>
                </tr>
              {/each}
              {#each Object.entries(corrections).filter(([text]) => !told?.misfits.some((m) => m.text === text)) as [text, instead] (text)}
                <tr>
                  <td class="text-soft">{text}</td>
                  <td></td>
                  <td>{instead || say('nothing')}</td>
                </tr>
              {/each}
            </tbody>
          </Ledger>
        </div>
        {#if told.misfitting > 0}
          <Checkbox bind:checked={empties}>Leave the others empty</Checkbox>
        {/if}
      {/if}
      {#each told.doubles.slice(0, 5) as { text, count } (text)}
        <p class="text-crimson m-0">“{text}” would stand {num(count)} times.</p>
      {/each}
      {#if told.breaks.length > 0}
        <div>
          <p class="m-0">
            {using.length > 0
              ? say('It cannot be changed, since this would not stand any more:')
              : say('In drafts this would not stand any more:')}
          </p>
          <ul class="m-0 list-disc ps-5">
            {#each told.breaks as { key, title, why }, i (i)}
              <li>
                {#if key}<a class="ref" href="/forms/{key}/design">{title}</a>{:else}{title}{/if}: {why}
              </li>
            {/each}
          </ul>
        </div>
      {/if}
    {/if}
    <Problems {problems} />
    <div class="flex items-center gap-3">
      <Button
        type="submit"
        loading={busy}
        disabled={!told || using.length > 0 || (told.misfitting > 0 && !empties)}
      >
        Change the type
      </Button>
      <Button type="button" kind="other" onclick={onclose}>Cancel</Button>
      <span class="quiet">The previous values are kept, so you can go back.</span>
    </div>
  </form>
</Modal>
