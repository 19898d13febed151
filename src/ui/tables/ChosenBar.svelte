<script lang="ts">
  import { plural, say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { doneAnswer, recordsAnswer, type RecordRow } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import type { House, Table } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { idsOf, sameValue, type Value } from '$lib/core/values/types';
  import { Button, Ledger, Modal, Select } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import { mayTable } from '$lib/ui/shared/may';
  import { settlePending } from '$lib/ui/shared/pending';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { tellSaved } from '$lib/ui/shared/toasts.svelte';
  import type { ChosenRecords } from './chosen.svelte';
  import ColumnInput from './ColumnInput.svelte';

  interface Props {
    table: Table;
    tables: House;
    chosen: ChosenRecords;
    /** How many records fit what is looked at, and the part of an address that asks for them. */
    total: number;
    query: string;
    onchanged: () => void;
  }
  let { table, tables, chosen, total, query, onchanged }: Props = $props();

  /** At most so many are changed in one save. */
  const most = 2000;
  /** So many steps are shown before it is done. */
  const mostTold = 50;

  let asking = $state<'change' | 'remove' | null>(null);
  let key = $state('');
  let to = $state.raw<{ value: Value; shown: string }>({ value: null, shown: '' });
  let bad = $state<string | null>(null);
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);

  const changeable = $derived(table.columns.filter(({ type }) => type.kind !== 'rows'));
  const column = $derived(changeable.find((one) => one.key === key) ?? changeable[0]);
  const records = $derived(chosen.all);
  const others = $derived(
    column ? records.filter(({ values }) => !sameValue(values[column.key] ?? null, to.value)) : [],
  );

  function text({ values, shown }: RecordRow, of: Table['columns'][number]): string {
    return shown[of.key] ?? formatValue(of.type, values[of.key] ?? null, reader());
  }
  const nameOf = (record: RecordRow) =>
    table.columns
      .filter((one) => asking !== 'change' || one !== column)
      .slice(0, 2)
      .map((one) => text(record, one))
      .filter((part) => part !== '')
      .join(' · ') || `#${record.id}`;
  const toText = $derived.by(() => {
    if (!column || to.value === null || idsOf(to.value).length > 0) return to.shown;
    return to.shown || formatValue(column.type, to.value, reader());
  });

  function ask(what: 'change' | 'remove') {
    [asking, problems, bad] = [what, [], null];
    to = { value: null, shown: '' };
  }

  /** Chooses whatever fits, as far as one save goes. */
  async function chooseAll() {
    busy = true;
    const found: RecordRow[] = [];
    for (let after = ''; found.length < most;) {
      const address = `/api/tables/${table.key}/records?limit=500&${query}`;
      const called = await call(recordsAnswer, after ? `${address}&after=${after}` : address);
      if (!called.ok) {
        problems = called.problems;
        break;
      }
      found.push(...called.value.records);
      if (called.value.next === null) break;
      after = encodeURIComponent(called.value.next);
    }
    chosen.clear();
    if (found.length > 0) chosen.toggle(found.slice(0, most));
    busy = false;
  }

  async function save(body: object, done: string) {
    busy = true;
    const called = await call(doneAnswer, `/api/tables/${table.key}/together`, { body });
    busy = false;
    problems = called.ok ? [] : named(called.problems);
    if (!called.ok) return;
    asking = null;
    chosen.clear();
    tellSaved({ text: done }, called.value.submission, onchanged);
    onchanged();
  }

  /** Problems with the records at which they stand. */
  function named(found: readonly Problem[]): Problem[] {
    const list = asking === 'remove' ? records : others;
    return found.slice(0, 10).map((one) => {
      const record = list[Number(/\[(\d+)\]/.exec(one.path)?.[1] ?? -1)];
      return record ? { ...one, message: `${nameOf(record)}: ${one.message}` } : one;
    });
  }

  async function change(event: SubmitEvent) {
    event.preventDefault();
    await settlePending();
    if (!column || bad || busy || others.length === 0) return;
    const change = others.map(({ id, version }) => ({
      ...{ id, version },
      values: { [column.key]: to.value },
    }));
    await save(
      { change },
      plural(change.length, ['# record was changed.', '# records were changed.']),
    );
  }

  async function remove() {
    const gone = records.map(({ id, version }) => ({ id, version }));
    await save(
      { remove: gone },
      plural(gone.length, ['# record was deleted.', '# records were deleted.']),
    );
  }
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-1" role="group" aria-label="Chosen records">
  <b role="status">{plural(chosen.count, ['# chosen', '# chosen'])}</b>
  {#if mayTable(table.key, 'change') && changeable.length > 0}
    <Button kind="other" onclick={() => ask('change')}>Change them…</Button>
  {/if}
  {#if mayTable(table.key, 'remove')}
    <Button kind="other" onclick={() => ask('remove')}>Delete them…</Button>
  {/if}
  {#if total > chosen.count}
    <Button kind="link" loading={busy} onclick={chooseAll}>
      {total > most ? say(`Choose the first ${most} that fit`) : say('Choose all that fit')}
    </Button>
  {/if}
  <Button kind="link" onclick={() => chosen.clear()}>Choose none</Button>
</div>
{#if asking === null}<Problems {problems} />{/if}

{#if asking === 'change' && column}
  <Modal
    open
    size="md"
    title={plural(records.length, ['Change # record', 'Change # records'])}
    onclose={() => (asking = null)}
  >
    <form class="grid gap-4" onsubmit={change}>
      <div class="grid grid-cols-2 gap-4">
        <label class="grid gap-0.5">
          <span class="quiet">Column</span>
          <Select
            value={column.key}
            onchange={({ currentTarget }) => {
              [key, bad, problems] = [currentTarget.value, null, []];
              to = { value: null, shown: '' };
            }}
          >
            {#each changeable as one (one.key)}<option value={one.key}>{one.label}</option>{/each}
          </Select>
        </label>
        <label class="grid content-start gap-0.5" for="change-to">
          <span class="quiet">becomes</span>
          {#key column.key}
            <ColumnInput
              id="change-to"
              {column}
              {tables}
              value={to.value}
              shown={to.shown}
              invalid={bad !== null}
              onvalue={(value, shown) => (to = { value, shown })}
              onbad={(sentence) => (bad = sentence)}
            />
          {/key}
          {#if bad}<span class="text-crimson text-[12.5px]">{bad}</span>{/if}
        </label>
      </div>
      <div class="max-h-70 overflow-auto">
        <Ledger class="border-line border" aria-label="What changes">
          <thead><tr><th>Record</th><th>is now</th><th>becomes</th></tr></thead>
          <tbody>
            {#each others.slice(0, mostTold) as record (record.id)}
              <tr>
                <td>{nameOf(record)}</td>
                <td>{text(record, column) || '–'}</td>
                <td>{toText || say('empty')}</td>
              </tr>
            {:else}
              <tr><td colspan="3" class="quiet">Nothing would change.</td></tr>
            {/each}
          </tbody>
        </Ledger>
      </div>
      <p class="quiet">
        {#if others.length > mostTold}
          {plural(others.length - mostTold, [
            '# more record changes alike.',
            '# more records change alike.',
          ])}
        {/if}
        {#if others.length < records.length}
          {plural(records.length - others.length, [
            '# record is like that already.',
            '# records are like that already.',
          ])}
        {/if}
      </p>
      <Problems {problems} />
      <div class="flex gap-3">
        <Button type="submit" loading={busy} disabled={others.length === 0 || bad !== null}>
          {plural(others.length, ['Change # record', 'Change # records'])}
        </Button>
        <Button kind="other" onclick={() => (asking = null)}>Cancel</Button>
      </div>
    </form>
  </Modal>
{:else if asking === 'remove'}
  <Modal
    open
    size="sm"
    title={plural(records.length, ['Delete # record?', 'Delete # records?'])}
    onclose={() => (asking = null)}
  >
    <ul class="m-0 max-h-60 list-none overflow-auto p-0">
      {#each records.slice(0, mostTold) as record (record.id)}<li>{nameOf(record)}</li>{/each}
    </ul>
    {#if records.length > mostTold}
      <p class="quiet">{plural(records.length - mostTold, ['and # more', 'and # more'])}</p>
    {/if}
    <Problems {problems} />
    <div class="flex gap-3">
      <Button loading={busy} onclick={remove}>
        {plural(records.length, ['Delete # record', 'Delete # records'])}
      </Button>
      <Button kind="other" onclick={() => (asking = null)}>Cancel</Button>
    </div>
  </Modal>
{/if}
