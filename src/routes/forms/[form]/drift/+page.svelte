<script lang="ts">
  import { onDestroy } from 'svelte';
  import { invalidate } from '$app/navigation';
  import { driftRepairAnswer, driftRunAnswer, nothingWanted } from '$lib/core/contract/answers';
  import { num, plural, say } from '$lib/core/words/say';
  import type { Problem } from '$lib/core/problems';
  import { Button, Ledger, Progressbar } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';
  import { call } from '$lib/ui/shared/api';
  import { mayTable } from '$lib/ui/shared/may';
  import { driftWords } from '$lib/ui/shared/drift-words';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { tellSaved, tell } from '$lib/ui/shared/toasts.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const run = $derived(data.run);
  type Found = (typeof data.found)[number];
  let open = $state<string | null>(null);
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);
  const most = $derived(Math.max(1, ...data.found.map(({ records }) => records)));
  const address = $derived(`/api/forms/${data.form.key}/drift`);
  const nameOf = ({ kind, grid, field, message }: Found) => [kind, grid, field, message].join(' ');

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

  async function repair({ kind, grid, field, message }: Found, take: 'now' | 'nothing') {
    busy = true;
    const body = { kind, grid, field, message, take };
    const called = await call(driftRepairAnswer, `${address}/repair`, { body });
    busy = false;
    problems = called.ok ? [] : called.problems.slice(0, 5);
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
<div class="mx-auto grid max-w-[1100px] gap-5 px-5 py-5">
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
          {#each data.found as group (nameOf(group))}
            {@const name = nameOf(group)}
            <tr>
              <td>
                <Button
                  kind="bare"
                  class="font-semibold"
                  aria-expanded={open === name}
                  onclick={() => (open = open === name ? null : name)}
                  ><span aria-hidden="true" class="text-soft inline-block w-4"
                    >{open === name ? '▾' : '▸'}</span
                  >{group.label || say('Record')}</Button
                >
              </td>
              <td class="whitespace-normal!">{group.message || driftWords[group.kind]}</td>
              <td class="num">{num(group.records)}</td>
              <td>
                <span class="bg-navy block h-2.5" style="width: {(100 * group.records) / most}%"
                ></span>
              </td>
            </tr>
            {#if open === name}
              <tr>
                <td colspan="4" class="bg-paper whitespace-normal!">
                  <div class="grid gap-3 py-2 ps-4">
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
                    {#if group.findings > group.examples.length}
                      <span class="quiet">
                        {say(`The first ${num(group.examples.length)} of ${num(group.findings)}.`)}
                      </span>
                    {/if}
                    {#if run.state !== 'running' && mayTable(data.form.table, 'change')}
                      <div class="flex gap-3">
                        {#if group.takes}
                          <Button kind="other" loading={busy} onclick={() => repair(group, 'now')}>
                            {plural(group.findings, [
                              'Take what comes out now, once',
                              'Take what comes out now, # times',
                            ])}
                          </Button>
                        {:else if group.kind === 'not_offered' || group.kind === 'retired'}
                          <Button
                            kind="other"
                            loading={busy}
                            onclick={() => repair(group, 'nothing')}
                          >
                            {plural(group.findings, ['Empty it', 'Empty them, # times'])}
                          </Button>
                        {/if}
                      </div>
                    {/if}
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
