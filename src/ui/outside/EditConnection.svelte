<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { keySaid, nothingWanted, triedConnectionAnswer } from '$lib/core/contract/answers';
  import { goto, invalidateAll } from '$app/navigation';
  import { Button, Checkbox, FileInput, Input, Select, Ledger, Textarea } from '$lib/ui/parts';
  import { untrack } from 'svelte';
  import type { Connection, NamedConnection, Query } from '$lib/core/outside/query';
  import type { AskedOnce } from '$lib/core/outside/sending';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { call } from '$lib/ui/shared/api';
  import { watchUnsaved } from '$lib/ui/shared/unsaved';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import ResponseTimes from './ResponseTimes.svelte';
  import { kindWords } from './words';

  interface Props {
    /** `null` makes a new one. */
    connection: (NamedConnection & { hasSecret: boolean }) | null;
    queries: readonly Query[];
    /** The forms that tell it something. */
    told?: readonly { where: string; href: string }[];
    asked: readonly AskedOnce[];
    /** Milliseconds for which it is left alone, since it has failed again and again. */
    pause?: number;
  }
  let { connection, queries, told: tellers = [], asked, pause = 0 }: Props = $props();

  const blank: Record<Connection['kind'], Connection> = {
    http: { kind: 'http', base: 'http://', headers: [], signIn: 'none', user: '' },
    sql: { kind: 'sql', host: '127.0.0.1', port: 3306, database: '', user: '', writes: false },
    file: { kind: 'file', text: '' },
  };
  let title = $state(untrack(() => connection?.title ?? ''));
  let note = $state(untrack(() => connection?.note ?? ''));
  let reach = $state<Connection>(
    untrack(() => structuredClone($state.snapshot(connection?.reach) ?? blank.http) as Connection),
  );
  let secret = $state('');
  let problems = $state.raw<Problem[]>([]);
  let told = $state('');
  let tried = $state('');
  let failed = $state.raw<Problem[]>([]);
  let busy = $state(false);

  const unsaved = watchUnsaved(() => [title, note, reach, secret]);

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    const body = {
      title: title.trim(),
      note,
      reach: $state.snapshot(reach),
      ...(secret === '' ? {} : { secret }),
    };
    const called = connection
      ? await call(keySaid, `/api/connections/${connection.key}`, { method: 'PUT', body })
      : await call(keySaid, '/api/connections', { body: { ...body, key: keyFrom(title) } });
    busy = false;
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    [secret, told] = ['', say('Saved.')];
    unsaved.settled();
    if (connection) await invalidateAll();
    else await goto(`/outside/${called.value.key}`);
  }

  /** Reaches the system as it is kept, to see that it answers. */
  async function tryIt() {
    if (!connection) return;
    busy = true;
    const path = `/api/connections/${connection.key}/try`;
    const called = await call(triedConnectionAnswer, path, { method: 'POST' });
    busy = false;
    tried = called.ok ? say(`It ${called.value.said}.`) : '';
    failed = called.ok ? [] : called.problems;
    await invalidateAll();
  }

  async function forget() {
    if (!connection) return;
    const { title, note, reach } = connection;
    const body = { title, note, reach, secret: '' };
    const called = await call(nothingWanted, `/api/connections/${connection.key}`, {
      method: 'PUT',
      body,
    });
    problems = called.ok ? [] : called.problems;
    if (called.ok) await invalidateAll();
  }

  async function remove() {
    if (!connection) return;
    const called = await call(nothingWanted, `/api/connections/${connection.key}`, {
      method: 'DELETE',
    });
    problems = called.ok ? [] : called.problems;
    if (called.ok) await goto('/outside');
  }

  async function takeFile(event: Event & { currentTarget: HTMLInputElement }) {
    const file = event.currentTarget.files?.[0];
    if (file && reach.kind === 'file') reach.text = await file.text();
  }
</script>

<div class="headline">
  <h1>{connection?.title ?? say('A new connection')}</h1>
  <span class="quiet"
    >{connection ? kindWords[connection.reach.kind] : say('to an outside system')}</span
  >
</div>
<div class="grid gap-8 px-5 pb-5 lg:grid-cols-[minmax(0,460px)_minmax(0,1fr)]">
  <form class="grid content-start gap-3" onsubmit={keep}>
    <label class="grid gap-1 font-semibold">
      Title <Input class="font-normal" bind:value={title} required maxlength={200} />
    </label>
    <label class="grid gap-1 font-semibold">
      <span>Kind</span>
      <Select
        class="font-normal"
        value={reach.kind}
        disabled={connection !== null}
        onchange={(event) =>
          (reach = { ...blank[event.currentTarget.value as Connection['kind']] })}
      >
        {#each Object.entries(kindWords) as [kind, words] (kind)}
          <option value={kind}>{words}</option>
        {/each}
      </Select>
    </label>
    {#if reach.kind === 'http'}
      <label class="grid gap-1 font-semibold">
        Base address
        <Input class="font-normal" bind:value={reach.base} required maxlength={500} />
      </label>
      <label class="grid gap-1 font-semibold">
        <span>Signs in</span>
        <Select class="font-normal" bind:value={reach.signIn}>
          <option value="none">not at all</option>
          <option value="token">with a token</option>
          <option value="basic">with a user and a password</option>
        </Select>
      </label>
      {#if reach.signIn === 'basic'}
        <label class="grid gap-1 font-semibold">
          User <Input class="font-normal" bind:value={reach.user} maxlength={200} />
        </label>
      {/if}
      <fieldset class="grid gap-1.5">
        <legend class="mb-1 font-semibold">Headers</legend>
        {#each reach.headers as header, i (i)}
          <div class="flex gap-2">
            <Input aria-label="Name of header {i + 1}" bind:value={header.name} />
            <Input aria-label="Value of header {i + 1}" bind:value={header.value} />
            <Button
              kind="link"
              aria-label="Remove header {i + 1}"
              onclick={() => reach.kind === 'http' && reach.headers.splice(i, 1)}>×</Button
            >
          </div>
        {/each}
        <div>
          <Button
            kind="link"
            onclick={() => reach.kind === 'http' && reach.headers.push({ name: '', value: '' })}
            >+ a header</Button
          >
        </div>
      </fieldset>
    {:else if reach.kind === 'sql'}
      <div class="grid grid-cols-[minmax(0,1fr)_110px] gap-3">
        <label class="grid gap-1 font-semibold">
          Host <Input class="font-normal" bind:value={reach.host} required />
        </label>
        <label class="grid gap-1 font-semibold">
          Port
          <Input class="font-normal" type="number" bind:value={reach.port} required />
        </label>
      </div>
      <label class="grid gap-1 font-semibold">
        Database <Input class="font-normal" bind:value={reach.database} required />
      </label>
      <label class="grid gap-1 font-semibold">
        User <Input class="font-normal" bind:value={reach.user} required />
      </label>
      <p class="quiet m-0">Only SELECT statements are sent, in read-only transactions.</p>
      <label class="flex items-center gap-2">
        <Checkbox bind:checked={reach.writes} />
        Forms may also write to it
      </label>
    {:else}
      <label class="grid gap-1 font-semibold">
        CSV file
        <FileInput class="font-normal" accept=".csv,text/csv" onchange={takeFile} />
      </label>
      <p class="quiet m-0">
        {reach.text.split('\n').length - 1} lines; the first names the columns.
      </p>
    {/if}
    {#if reach.kind === 'sql' || (reach.kind === 'http' && reach.signIn !== 'none')}
      <label class="grid gap-1 font-semibold">
        {reach.kind === 'http' && reach.signIn === 'token' ? say('Token') : say('Password')}
        <Input
          class="font-normal"
          type="password"
          autocomplete="new-password"
          placeholder={connection?.hasSecret ? say('saved; type to replace it') : ''}
          bind:value={secret}
        />
      </label>
      <p class="quiet m-0">
        It is encrypted and never shown again.
        {#if connection?.hasSecret}
          <Button kind="link" onclick={forget}>Forget</Button>
        {/if}
      </p>
    {/if}
    <label class="grid gap-1 font-semibold">
      Note <Textarea class="h-16! font-normal" bind:value={note} maxlength={1000}></Textarea>
    </label>
    <Problems {problems} />
    <div class="flex items-center gap-3">
      <Button type="submit" loading={busy} disabled={title.trim() === ''}>
        {connection ? say('Save connection') : say('Create connection')}
      </Button>
      {#if connection}
        <Button kind="link" onclick={remove}>Remove it</Button>
      {/if}
      <span class="quiet" role="status">{told}</span>
    </div>
  </form>
  {#if connection}
    <div class="grid content-start gap-4">
      <div>
        <h2 class="mb-2">Response times</h2>
        <div class="mb-3 flex flex-wrap items-center gap-3">
          <Button kind="other" onclick={tryIt} loading={busy}>Test connection</Button>
          <span role="status">{tried}</span>
          {#if pause > 0}
            <span class="text-crimson">
              It has failed several times. Next attempt in
              {num(Math.ceil(pause / 1000))} s.
            </span>
          {/if}
        </div>
        {#if failed.length > 0}<div class="mb-3"><Problems problems={failed} /></div>{/if}
        {#if asked.length === 0}
          <p class="quiet m-0">It has not been used yet. Create a query and try it.</p>
        {:else}
          <ResponseTimes {asked} />
        {/if}
      </div>
      {#if asked.some(({ failed }) => failed !== null)}
        <div>
          <h2 class="mb-2">Last failures</h2>
          <Ledger class="border-line border">
            <thead><tr><th>When</th><th>Query</th><th class="num">ms</th><th>Why</th></tr></thead>
            <tbody>
              {#each asked
                .filter(({ failed }) => failed !== null)
                .slice(0, 10) as { at, query, took, failed }, i (i)}
                <tr>
                  <td class="text-soft whitespace-nowrap"
                    >{formatValue({ kind: 'date_time' }, at, reader())}</td
                  >
                  <td>{query ?? '–'}</td>
                  <td class="num">{num(took)}</td>
                  <td>{failed}</td>
                </tr>
              {/each}
            </tbody>
          </Ledger>
        </div>
      {/if}
      <div>
        <h2 class="mb-2">Its queries</h2>
        <ul class="m-0 list-none p-0">
          {#each queries as query (query.key)}
            <li class="border-line-soft border-b py-1">
              <a class="ref" href="/outside/queries/{query.key}">{query.title}</a>
            </li>
          {:else}
            <li class="quiet">None yet.</li>
          {/each}
        </ul>
      </div>
      {#if tellers.length > 0}
        <div>
          <h2 class="mb-2">Forms that send to it</h2>
          <ul class="m-0 list-none p-0">
            {#each tellers as { where, href } (where)}
              <li class="border-line-soft border-b py-1"><a class="ref" {href}>{where}</a></li>
            {/each}
          </ul>
        </div>
      {/if}
    </div>
  {/if}
</div>
