<script lang="ts">
  import { settlePending } from '$lib/ui/shared/pending';
  import { keySaid, nothingWanted, triedAnswer } from '$lib/core/contract/answers';
  import { goto, invalidateAll } from '$app/navigation';
  import { Button, Input, Select, Textarea } from '$lib/ui/parts';
  import { untrack } from 'svelte';
  import type { NamedConnection, Query } from '$lib/core/outside/query';
  import { placesIn } from '$lib/core/outside/template';
  import { proposedColumns } from '$lib/core/outside/rows';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom, labelFrom } from '$lib/core/table/definition';
  import { parseText } from '$lib/core/values/parse';
  import { isoReading } from '$lib/core/values/reading';
  import { plainText, type Scalar } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import { say } from '$lib/core/words/say';
  import { watchUnsaved } from '$lib/ui/shared/unsaved';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import ColumnRows from './ColumnRows.svelte';
  import PagesRow from './PagesRow.svelte';
  import ParameterRows from './ParameterRows.svelte';
  import TriedAnswer from './TriedAnswer.svelte';
  import type { Tried } from '$lib/core/contract/answers';

  interface Props {
    /** `null` makes a new one. */
    query: Query | null;
    connections: readonly NamedConnection[];
    uses: readonly { where: string; href: string }[];
  }
  let { query, connections, uses }: Props = $props();

  const blank = (): Query => ({
    key: 'new_query',
    title: '',
    connection: connections[0]?.key ?? '',
    text: '',
    parameters: [],
    rows: '',
    columns: [],
    searches: null,
    pages: null,
    limit: 4000,
    keeps: 60,
  });
  let edited = $state<Query>(
    untrack(() => (query ? (structuredClone($state.snapshot(query)) as Query) : blank())),
  );
  let problems = $state.raw<Problem[]>([]);
  let told = $state('');
  let busy = $state(false);
  let tried = $state.raw<Tried | null>(null);
  let failed = $state.raw<Problem[]>([]);

  const connection = $derived(connections.find(({ key }) => key === edited.connection));
  const kind = $derived(connection?.reach.kind ?? 'http');
  const taken = $derived(new Set(edited.columns.map(({ path }) => path)));

  /** A parameter for each name in the text that has none yet; those that are named no more go. */
  function nameParameters() {
    const named = placesIn(edited.text);
    const kept = edited.parameters.filter(({ key }) => named.includes(key));
    const fresh = named.filter((key) => !kept.some((parameter) => parameter.key === key));
    edited.parameters = [
      ...kept,
      ...fresh.map((key) => ({
        key,
        label: labelFrom(key),
        type: plainText,
        required: true,
        example: '',
      })),
    ];
    if (edited.searches !== null && !named.includes(edited.searches)) edited.searches = null;
    if (edited.pages && !named.includes(edited.pages.parameter)) edited.pages = null;
  }

  const unsaved = watchUnsaved(() => body());

  function body() {
    return { ...$state.snapshot(edited), key: undefined };
  }

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    await settlePending();
    const called = query
      ? await call(keySaid, `/api/queries/${query.key}`, { method: 'PUT', body: body() })
      : await call(keySaid, '/api/queries', { body: { ...body(), key: keyFrom(edited.title) } });
    busy = false;
    problems = called.ok ? [] : called.problems;
    told = called.ok ? say('Saved.') : '';
    if (!called.ok) return;
    unsaved.settled();
    if (query) await invalidateAll();
    else await goto(`/outside/queries/${called.value.key}`);
  }

  async function tryOut() {
    await settlePending();
    const values: Record<string, Scalar> = {};
    for (const { key, type, example, label } of edited.parameters) {
      const read = parseText(type, example, label, isoReading);
      values[key] = 'value' in read ? (read.value as Scalar) : example;
    }
    busy = true;
    const given = { ...$state.snapshot(edited), title: edited.title || say('a query') };
    const called = await call(triedAnswer, '/api/queries/try', { body: { query: given, values } });
    busy = false;
    failed = called.ok ? [] : called.problems;
    tried = called.ok ? called.value : null;
  }

  function addColumn(path: string, value: unknown) {
    const label = labelFrom(keyFrom(path.split('.').at(-1) ?? path));
    const [proposed] = proposedColumns({ value }, '');
    const key = keyFrom(
      label,
      edited.columns.map((column) => column.key),
    );
    edited.columns.push({ key, label, path, type: proposed?.type ?? plainText });
    void tryOut();
  }

  function takeAll() {
    for (const { label, path, type } of proposedColumns(tried?.answer, edited.rows)) {
      if (taken.has(path)) continue;
      const key = keyFrom(
        label,
        edited.columns.map((column) => column.key),
      );
      edited.columns.push({ key, label: labelFrom(key), path, type });
    }
    void tryOut();
  }

  async function remove() {
    if (!query) return;
    const called = await call(nothingWanted, `/api/queries/${query.key}`, { method: 'DELETE' });
    problems = called.ok ? [] : called.problems;
    if (called.ok) await goto('/outside');
  }
</script>

<div class="headline">
  <h1>{query?.title ?? say('A new query')}</h1>
  <span class="quiet">
    {#if connection}asks <a class="ref" href="/outside/{connection.key}">{connection.title}</a>{/if}
    {#if uses.length > 0}
      · used in
      {#each uses as { where, href }, i (where)}{i > 0 ? '; ' : ''}<a class="ref" {href}>{where}</a
        >{/each}
    {/if}
  </span>
</div>
<div class="grid gap-8 px-5 pb-5 lg:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
  <form class="grid content-start gap-3" onsubmit={keep}>
    <div class="grid grid-cols-2 gap-3">
      <label class="grid gap-1 font-semibold">
        Title <Input class="font-normal" bind:value={edited.title} required />
      </label>
      <label class="grid gap-1 font-semibold">
        <span>Connection</span>
        <Select class="font-normal" bind:value={edited.connection}>
          {#each connections as { key, title } (key)}<option value={key}>{title}</option>{/each}
        </Select>
      </label>
    </div>
    {#if kind !== 'file'}
      <label class="grid gap-1 font-semibold">
        {kind === 'sql' ? 'SELECT' : say('Address below the base')}
        <Textarea
          class="font-mono text-[13px]! font-normal {kind === 'sql' ? 'h-24!' : 'h-9!'}"
          spellcheck="false"
          placeholder={kind === 'sql'
            ? 'select … from booking where asset_number = {asset}'
            : 'members/{code}'}
          bind:value={edited.text}
          onchange={nameParameters}
        ></Textarea>
      </label>
      <p class="quiet m-0">
        A name in braces is a parameter; its value is {kind === 'sql'
          ? say('bound, never part of the statement')
          : say('encoded, and stays in its place')}.
      </p>
    {/if}
    {#if edited.parameters.length > 0}
      <ParameterRows bind:parameters={edited.parameters} />
      <label class="flex items-center gap-2">
        <span>What is typed into a list goes to</span>
        <Select
          class="w-auto!"
          value={edited.searches ?? ''}
          onchange={({ currentTarget: { value } }) => (edited.searches = value || null)}
        >
          <option value="">no parameter: the rows are searched here</option>
          {#each edited.parameters as { key, label } (key)}<option value={key}>{label}</option
            >{/each}
        </Select>
      </label>
      {#if kind !== 'file'}<PagesRow
          parameters={edited.parameters}
          bind:pages={edited.pages}
        />{/if}
    {/if}
    <ColumnRows bind:columns={edited.columns} />
    <div class="flex flex-wrap gap-5">
      <label class="flex items-center gap-2">
        Give up after
        <Input
          class="w-24!"
          type="number"
          min="100"
          max="20000"
          step="100"
          bind:value={edited.limit}
        />
        ms
      </label>
      <label class="flex items-center gap-2">
        Reuse an answer for
        <Input class="w-24!" type="number" min="0" max="86400" bind:value={edited.keeps} />
        s
      </label>
    </div>
    <Problems {problems} />
    <div class="flex items-center gap-3">
      <Button type="submit" loading={busy} disabled={edited.title.trim() === ''}>
        {query ? say('Save query') : say('Create query')}
      </Button>
      <Button kind="other" onclick={tryOut} loading={busy}>Try it out</Button>
      {#if query}<Button kind="link" onclick={remove}>Remove it</Button>{/if}
      <span class="quiet" role="status">{told}</span>
    </div>
  </form>
  <div class="grid content-start gap-4" aria-live="polite">
    <Problems problems={failed} />
    {#if tried}
      <TriedAnswer
        {tried}
        columns={edited.columns}
        rows={edited.rows}
        onrows={(path) => {
          edited.rows = path;
          void tryOut();
        }}
        oncolumn={addColumn}
        ontakeall={takeAll}
      />
    {:else if failed.length === 0}
      <p class="quiet m-0">Try the query to see its answer here and pick columns from it.</p>
    {/if}
  </div>
</div>
