<script lang="ts">
  import { onDestroy } from 'svelte';
  import { invalidate } from '$app/navigation';
  import {
    driftLeftAnswer,
    driftRepairAnswer,
    driftRunAnswer,
    nothingWanted,
    type DriftRepair,
  } from '$lib/core/contract/answers';
  import { num, plural, say } from '$lib/core/words/say';
  import type { Problem } from '$lib/core/problems';
  import { houseOf } from '$lib/core/table/sources';
  import type { Value } from '$lib/core/values/types';
  import ColumnInput from '$lib/ui/tables/ColumnInput.svelte';
  import { Button, Ledger, Progressbar } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';
  import { call } from '$lib/ui/shared/api';
  import { mayTable } from '$lib/ui/shared/may';
  import { driftWords } from '$lib/ui/shared/drift-words';
  import FitsOverTime from '$lib/ui/keeping/FitsOverTime.svelte';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { tellSaved, tell } from '$lib/ui/shared/toasts.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const run = $derived(data.run);
  const tables = $derived(houseOf(data.tables.map((table) => [table.key, table])));
  type Found = (typeof data.found)[number];
  let open = $state<string | null>(null);
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);
  const history = $derived(data.drifts.find(({ form }) => form === data.form.key)?.before ?? []);
  const most = $derived(Math.max(1, ...data.found.map(({ records }) => records)));
  const address = $derived(`/api/forms/${data.form.key}/drift`);
  const nameOf = ({ kind, grid, field, message, left }: Found) =>
    [kind, grid, field, message, left ? 'left' : ''].join(' ');
  const isLeft = (group: Found | undefined) => group !== undefined && group.left !== null;

  const refresh = () => invalidate('unisor:drift');
  // What is going on is looked at while it goes on.
  const timer = setInterval(() => {
    if (run?.state === 'running') void refresh();
  }, 1000);
  onDestroy(() => clearInterval(timer));

  async function begin(body: object) {
    busy = true;
    const called = await call(driftRunAnswer, address, { body });
    busy = false;
    problems = called.ok ? [] : called.problems;
    await refresh();
  }

  async function stop() {
    await call(nothingWanted, address, { method: 'DELETE' });
    await refresh();
  }

  type Take = 'now' | 'nothing' | 'only' | { value: Value };
  /** What was asked to be done about a group, and what that would change. */
  let planned = $state.raw<{ group: string; take: Take; told: DriftRepair } | null>(null);
  /** The value with which a group is to be replaced, where one is being given. */
  let replacing = $state.raw<{ group: string; value: Value; shown: string } | null>(null);

  const wishOf = ({ kind, grid, field, message }: Found, take: Take) => {
    return { kind, grid, field, message, take };
  };

  async function plan(group: Found, take: Take) {
    busy = true;
    const body = { ...wishOf(group, take), preview: true };
    const called = await call(driftRepairAnswer, `${address}/repair`, { body });
    busy = false;
    problems = called.ok ? [] : called.problems.slice(0, 5);
    planned = called.ok ? { group: nameOf(group), take, told: called.value } : null;
  }

  /** The records concerned as a view of their table. */
  function tableOf(ids: readonly number[]): string {
    const filter = [{ path: 'id', operator: 'one_of', values: ids }];
    return `/tables/${data.form.table}?filter=${encodeURIComponent(JSON.stringify(filter))}`;
  }

  function openGroup(name: string) {
    open = open === name ? null : name;
    [planned, replacing] = [null, null];
  }

  /** Leaves findings as they are, in later runs too, or has them told again. */
  async function leave({ kind, grid, field, message }: Found, leaving: boolean) {
    busy = true;
    const body = { kind, grid, field, message, leave: leaving };
    const called = await call(driftLeftAnswer, `${address}/leave`, { body });
    busy = false;
    problems = called.ok ? [] : called.problems;
    [open, planned, replacing] = [null, null, null];
    await refresh();
  }

  async function repair(group: Found, take: Take) {
    busy = true;
    const called = await call(driftRepairAnswer, `${address}/repair`, {
      body: wishOf(group, take),
    });
    busy = false;
    problems = called.ok ? [] : called.problems.slice(0, 5);
    [planned, replacing] = [null, null];
    if (called.ok) {
      const { submission, changed, left } = called.value;
      const text = [
        plural(changed, ['# value was repaired.', '# values were repaired.']),
        left > 0
          ? plural(left, [
              '# was changed meanwhile, and left as it is.',
              '# were changed meanwhile, and left as they are.',
            ])
          : '',
      ].join(' ');
      const again = () => void begin({ against: run?.edition === 0 ? 'draft' : 'edition' });
      if (submission) tellSaved({ text }, submission, again);
      else tell({ text });
    }
    await refresh();
  }
</script>

{#snippet mending(group: Found, name: string)}
  {@const column = mayTable(group.table, 'change') ? group.column : null}
  <div class="flex flex-wrap items-center gap-3">
    {#if column && group.takes}
      <Button kind="other" loading={busy} onclick={() => plan(group, 'now')}>
        Take what comes out now
      </Button>
    {/if}
    {#if column && ['not_offered', 'retired', 'required'].includes(group.kind)}
      <Button kind="other" loading={busy} onclick={() => plan(group, 'only')}>
        Take the only one offered
      </Button>
    {/if}
    {#if column && ['not_offered', 'retired'].includes(group.kind) && !column.required}
      <Button kind="other" loading={busy} onclick={() => plan(group, 'nothing')}>Empty them</Button>
    {/if}
    {#if column && ['not_offered', 'retired', 'required', 'check'].includes(group.kind)}
      <Button
        kind="other"
        aria-expanded={replacing?.group === name}
        onclick={() => {
          planned = null;
          replacing = replacing ? null : { group: name, value: null, shown: '' };
        }}>Replace by…</Button
      >
    {/if}
    <Button kind="other" loading={busy} onclick={() => leave(group, true)}>Leave them</Button>
  </div>
  {#if column && replacing?.group === name}
    <form
      class="flex flex-wrap items-end gap-3"
      onsubmit={(event) => {
        event.preventDefault();
        if (replacing && replacing.value !== null) void plan(group, { value: replacing.value });
      }}
    >
      <label class="grid w-72 gap-1" for="replace-{group.grid}-{group.field}">
        <span>Replace by</span>
        <ColumnInput
          id="replace-{group.grid}-{group.field}"
          {column}
          {tables}
          value={replacing.value}
          shown={replacing.shown}
          onvalue={(value, shown) => (replacing = { group: name, value, shown })}
        />
      </label>
      <Button type="submit" kind="other" loading={busy} disabled={replacing.value === null}>
        Show what would change
      </Button>
    </form>
  {/if}
  {#if planned?.group === name}
    {@const { take, told } = planned}
    <p class="m-0" role="status">
      {plural(told.changed, ['# value would change.', '# values would change.'])}
      {#if told.unsure > 0}
        {plural(told.unsure, [
          '# stays as it is: not exactly one value is offered.',
          '# stay as they are: not exactly one value is offered.',
        ])}
      {/if}
      {#if told.left > 0}
        {plural(told.left, [
          '# was changed meanwhile, and stays as it is.',
          '# were changed meanwhile, and stay as they are.',
        ])}
      {/if}
    </p>
    {#if told.changes.length > 0}
      <div class="border-line max-h-72 overflow-y-auto border" tabindex="-1">
        <Ledger aria-label="What would change">
          <thead><tr><th>Record</th><th>holds</th><th>becomes</th></tr></thead>
          <tbody>
            {#each told.changes as { record, named, before, after }, i (i)}
              <tr>
                <td>
                  <a class="textlink" href="/forms/{data.form.key}?record={record}">{named}</a>
                </td>
                <td>{before}</td>
                <td>{after}</td>
              </tr>
            {/each}
          </tbody>
        </Ledger>
      </div>
    {/if}
    <div class="flex gap-3">
      {#if told.changed > 0}
        <Button loading={busy} onclick={() => repair(group, take)}>
          {plural(told.changed, ['Change it', 'Change all #'])}
        </Button>
      {/if}
      <Button kind="other" onclick={() => (planned = null)}>Cancel</Button>
    </div>
  {/if}
{/snippet}

<svelte:head><title>{data.form.title}: drift – Unisor</title></svelte:head>
<div class="headline">
  <h1>{data.form.title}</h1>
  <span class="quiet">what of its stored records does not fit any more</span>
  <span class="ms-auto flex gap-3">
    {#if run?.state === 'running'}
      <Button kind="other" onclick={stop}>Stop</Button>
    {:else}
      {#if run && (run.state === 'stopped' || run.state === 'failed')}
        <Button kind="other" loading={busy} onclick={() => begin({ goesOn: run.id })}>Go on</Button>
      {/if}
      <Button kind="other" loading={busy} onclick={() => begin({ against: 'draft' })}>
        Hold against the draft
      </Button>
      {#if data.form.edition > 0}
        <Button loading={busy} onclick={() => begin({ against: 'edition' })}>
          Hold against the form
        </Button>
      {/if}
    {/if}
  </span>
</div>
<div class="flex flex-col lg:flex-row">
  {#if data.drifts.length > 1}
    <nav class="border-line shrink-0 border-b lg:w-80 lg:border-e lg:border-b-0" aria-label="Forms">
      <ul class="m-0 list-none p-0">
        {#each data.drifts as { form, title, records, judged, before } (form)}
          <li class="border-line-soft border-b">
            <a
              href="/forms/{form}/drift"
              aria-current={form === data.form.key ? 'page' : undefined}
              class="grid grid-cols-[1fr_auto_auto] items-center gap-x-3 px-5 py-2.5 {form ===
              data.form.key
                ? 'bg-wash shadow-[inset_3px_0_0_var(--marigold)]'
                : 'hover:bg-paper'}"
            >
              <span>
                <span class="block font-semibold">{title}</span>
                <span class="quiet">{plural(judged, ['of # record', 'of # records'])}</span>
              </span>
              <FitsOverTime
                points={before}
                small
                label={say(`${title}: how many records did not fit, over twelve weeks`)}
              />
              <span class="min-w-8 text-end font-semibold">{num(records)}</span>
            </a>
          </li>
        {/each}
      </ul>
    </nav>
  {/if}
  <div class="mx-auto grid w-full max-w-[1100px] content-start gap-5 px-5 py-5">
    <Problems {problems} />
    {#if !run}
      <p class="text-soft max-w-prose">
        Forms and tables change; records that were saved before stay as they are. Hold them against
        the form as it is now: every record is judged as if somebody opened it and saved it. Nothing
        is written.
      </p>
    {:else}
      <p class="text-soft" role="status">
        {run.edition === 0 ? say('Against the draft') : say(`Against edition ${run.edition}`)},
        {ago(run.begunAt)}:
        {plural(run.judged, ['# record judged', '# records judged'])}
        {#if run.state === 'running'}{say(`of ${num(run.total)}`)}{/if}
        {#if run.state === 'stopped'}· {say('stopped')}{/if}
        {#if run.state === 'failed'}· <span class="text-crimson">{run.reason}</span>{/if}
      </p>
      {#if history.length > 1}
        <FitsOverTime
          points={history}
          label={say('How many records did not fit, over twelve weeks')}
        />
      {/if}
      {#if run.state === 'running'}
        <Progressbar progress={(100 * run.judged) / Math.max(1, run.total)} size="h-1.5" />
      {/if}
      {#if data.found.length > 0}
        <Ledger class="border-line border" aria-label="Findings">
          <thead>
            <tr
              ><th>Field</th><th>Finding</th><th class="num">Records</th><th class="w-1/4"
                ><span class="sr-only">Records</span></th
              ></tr
            >
          </thead>
          <tbody>
            {#each data.found as group, i (nameOf(group))}
              {@const name = nameOf(group)}
              {#if group.left && !isLeft(data.found[i - 1])}
                <tr><th colspan="4" class="bg-paper">Left as they are</th></tr>
              {/if}
              <tr>
                <td>
                  <Button
                    kind="bare"
                    class="font-semibold"
                    aria-expanded={open === name}
                    onclick={() => openGroup(name)}
                    ><span aria-hidden="true" class="text-soft inline-block w-4"
                      >{open === name ? '▾' : '▸'}</span
                    >{group.label || say('Record')}</Button
                  >
                </td>
                <td class="whitespace-normal!">
                  {group.message || driftWords[group.kind]}
                  {#if group.left}
                    <span class="quiet"
                      >{say(`left by ${group.left.by}, ${ago(group.left.at)}`)}</span
                    >
                  {/if}
                </td>
                <td class="num">{num(group.records)}</td>
                <td>
                  <span
                    class="{group.left ? 'bg-edge' : 'bg-navy'} block h-2.5"
                    style="width: {(100 * group.records) / most}%"
                  ></span>
                </td>
              </tr>
              {#if open === name}
                <tr>
                  <td colspan="4" class="bg-paper whitespace-normal!">
                    <div class="grid gap-3 py-2 ps-4">
                      {#if run.state !== 'running' && group.left}
                        <div>
                          <Button kind="other" loading={busy} onclick={() => leave(group, false)}>
                            Look at them again
                          </Button>
                        </div>
                      {:else if run.state !== 'running'}
                        {@render mending(group, name)}
                      {/if}
                      <Ledger class="border-line border" aria-label="Records of {group.label}">
                        <thead>
                          <tr>
                            <th>Record</th><th>holds</th>
                            {#if group.takes}<th>would be</th>{/if}
                          </tr>
                        </thead>
                        <tbody>
                          {#each group.examples as { record, named, value, now }, i (i)}
                            <tr>
                              <td>
                                <a class="textlink" href="/forms/{data.form.key}?record={record}"
                                  >{named}</a
                                >
                              </td>
                              <td>{value}</td>
                              {#if group.takes}<td>{now}</td>{/if}
                            </tr>
                          {/each}
                        </tbody>
                      </Ledger>
                      <span class="quiet flex flex-wrap gap-x-4">
                        {#if group.findings > group.examples.length}
                          {say(
                            `The first ${num(group.examples.length)} of ${num(group.findings)}.`,
                          )}
                        {/if}
                        {#if group.ids.length > 0 && mayTable(data.form.table, 'see')}
                          <a class="textlink" href={tableOf(group.ids)}>
                            {group.ids.length < group.records
                              ? say(`The first ${num(group.ids.length)} as a table`)
                              : say('All of them as a table')}
                          </a>
                        {/if}
                      </span>
                    </div>
                  </td>
                </tr>
              {/if}
            {/each}
          </tbody>
        </Ledger>
      {:else if run.state === 'done'}
        <p>Every record fits the form as it is now.</p>
      {/if}
    {/if}
  </div>
</div>
