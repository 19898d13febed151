<script lang="ts">
  import { goto, invalidateAll } from '$app/navigation';
  import { Button } from 'flowbite-svelte';
  import { untrack } from 'svelte';
  import type { NamedConnection, OutsideColumn, Query } from '$lib/core/outside/query';
  import { placesIn } from '$lib/core/outside/template';
  import { proposedColumns } from '$lib/core/outside/rows';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom, labelFrom } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { isoReading, parseText } from '$lib/core/values/parse';
  import { isNumeric, plainText, type Scalar } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import { locale } from '$lib/ui/shared/locale';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import TypeEditor from '$lib/ui/tables/TypeEditor.svelte';
  import AnswerTree from './AnswerTree.svelte';

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
    limit: 4000,
    keeps: 60,
  });
  let edited = $state<Query>(
    untrack(() => (query ? (structuredClone($state.snapshot(query)) as Query) : blank())),
  );
  let problems = $state.raw<Problem[]>([]);
  let told = $state('');
  let busy = $state(false);
  interface Tried {
    answer: unknown;
    rows: { rows: Record<string, Scalar>[]; misfits: string[]; left: number } | null;
    found: number;
    took: number;
  }
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
  }

  function body() {
    const { title, connection, text, parameters, rows, columns, searches, limit, keeps } =
      $state.snapshot(edited) as Query;
    return { title, connection, text, parameters, rows, columns, searches, limit, keeps };
  }

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    const called = query
      ? await call(`/api/queries/${query.key}`, { method: 'PUT', body: body() })
      : await call<Query>('/api/queries', { body: { ...body(), key: keyFrom(edited.title) } });
    busy = false;
    problems = called.ok ? [] : called.problems;
    told = called.ok ? 'Kept.' : '';
    if (!called.ok) return;
    if (query) await invalidateAll();
    else await goto(`/outside/queries/${(called.value as Query).key}`);
  }

  async function tryOut() {
    const values: Record<string, Scalar> = {};
    for (const { key, type, example, label } of edited.parameters) {
      const read = parseText(type, example, label, isoReading);
      values[key] = 'value' in read ? (read.value as Scalar) : example;
    }
    busy = true;
    const given = { ...$state.snapshot(edited), title: edited.title || 'a query' };
    const called = await call<Tried>('/api/queries/try', { body: { query: given, values } });
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
    const called = await call(`/api/queries/${query.key}`, { method: 'DELETE' });
    problems = called.ok ? [] : called.problems;
    if (called.ok) await goto('/outside');
  }
</script>

<div class="headline">
  <h1>{query?.title ?? 'A new query'}</h1>
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
        Title <input class="control font-normal" bind:value={edited.title} required />
      </label>
      <label class="grid gap-1 font-semibold">
        Connection
        <select class="control font-normal" bind:value={edited.connection}>
          {#each connections as { key, title } (key)}<option value={key}>{title}</option>{/each}
        </select>
      </label>
    </div>
    {#if kind !== 'file'}
      <label class="grid gap-1 font-semibold">
        {kind === 'sql' ? 'SELECT' : 'Address below the base'}
        <textarea
          class="control font-mono text-[13px]! font-normal {kind === 'sql' ? 'h-24!' : 'h-9!'}"
          spellcheck="false"
          placeholder={kind === 'sql'
            ? 'select … from booking where asset_number = {asset}'
            : 'members/{code}'}
          bind:value={edited.text}
          onchange={nameParameters}></textarea>
      </label>
      <p class="quiet m-0">
        A name in braces is a parameter; its value is {kind === 'sql'
          ? 'bound, never part of the statement'
          : 'encoded, and stays in its place'}.
      </p>
    {/if}
    {#if edited.parameters.length > 0}
      <table class="ledger border-line border">
        <thead>
          <tr><th>Parameter</th><th>Label</th><th>Type</th><th>Needed</th><th>Try with</th></tr>
        </thead>
        <tbody>
          {#each edited.parameters as parameter (parameter.key)}
            <tr>
              <td class="font-mono text-[12.5px]">{parameter.key}</td>
              <td>
                <input
                  class="control"
                  aria-label="Label of {parameter.key}"
                  bind:value={parameter.label}
                />
              </td>
              <td>
                <TypeEditor
                  label={parameter.label}
                  type={parameter.type}
                  tables={[]}
                  links={false}
                  onchange={(type) => (parameter.type = type as typeof parameter.type)}
                />
              </td>
              <td>
                <input
                  type="checkbox"
                  aria-label="{parameter.label} is needed"
                  bind:checked={parameter.required}
                />
              </td>
              <td>
                <input
                  class="control"
                  aria-label="Try {parameter.label} with"
                  bind:value={parameter.example}
                />
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
      <label class="flex items-center gap-2">
        What is typed into a list goes to
        <select
          class="control w-auto!"
          value={edited.searches ?? ''}
          onchange={({ currentTarget: { value } }) => (edited.searches = value || null)}
        >
          <option value="">no parameter: the rows are searched here</option>
          {#each edited.parameters as { key, label } (key)}<option value={key}>{label}</option
            >{/each}
        </select>
      </label>
    {/if}
    <table class="ledger border-line border">
      <thead>
        <tr
          ><th>Column</th><th>Stands at</th><th>Type</th><th><span class="sr-only">Steps</span></th
          ></tr
        >
      </thead>
      <tbody>
        {#each edited.columns as column, i (column.key)}
          <tr>
            <td>
              <input
                class="control"
                aria-label="Label of column {i + 1}"
                bind:value={column.label}
              />
            </td>
            <td>
              <input
                class="control font-mono text-[12.5px]!"
                aria-label="Path of {column.label}"
                bind:value={column.path}
              />
            </td>
            <td>
              <TypeEditor
                label={column.label}
                type={column.type}
                tables={[]}
                links={false}
                onchange={(type) => (column.type = type as OutsideColumn['type'])}
              />
            </td>
            <td class="text-right">
              <button
                type="button"
                class="textlink"
                aria-label="Remove {column.label}"
                onclick={() => edited.columns.splice(i, 1)}>×</button
              >
            </td>
          </tr>
        {:else}
          <tr>
            <td colspan="4" class="text-soft">
              No column yet. Try the query out, and take them from the answer.
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
    <div class="flex flex-wrap gap-5">
      <label class="flex items-center gap-2">
        Waits at most
        <input
          class="control w-24!"
          type="number"
          min="100"
          max="20000"
          step="100"
          bind:value={edited.limit}
        />
        ms
      </label>
      <label class="flex items-center gap-2">
        An answer lasts
        <input class="control w-24!" type="number" min="0" max="86400" bind:value={edited.keeps} />
        s
      </label>
    </div>
    <Problems {problems} />
    <div class="flex items-center gap-3">
      <Button type="submit" disabled={busy || edited.title.trim() === ''}>
        {query ? 'Keep the query' : 'Make the query'}
      </Button>
      <Button color="light" onclick={tryOut} disabled={busy}>Try it out</Button>
      {#if query}<button type="button" class="textlink" onclick={remove}>Remove it</button>{/if}
      <span class="quiet" role="status">{told}</span>
    </div>
  </form>
  <div class="grid content-start gap-4" aria-live="polite">
    <Problems problems={failed} />
    {#if tried}
      <div>
        <h2>
          {tried.rows ? `${tried.found} ${tried.found === 1 ? 'row' : 'rows'}` : 'No rows there'}
          <span class="quiet font-sans!">in {tried.took} ms</span>
        </h2>
        {#if tried.rows && tried.rows.misfits.length > 0}
          <p class="text-crimson m-0">
            Some values are not of their type and count as absent: {tried.rows.misfits.join(', ')}.
          </p>
        {/if}
        {#if tried.rows && edited.columns.length > 0}
          <div class="mt-2 max-h-64 overflow-auto">
            <table class="ledger border-line border">
              <thead>
                <tr>
                  {#each edited.columns as { key, label, type } (key)}
                    <th class:num={isNumeric(type)}>{label}</th>
                  {/each}
                </tr>
              </thead>
              <tbody>
                {#each tried.rows.rows as row, i (i)}
                  <tr>
                    {#each edited.columns as { key, type } (key)}
                      <td class:num={isNumeric(type)}
                        >{formatValue(type, row[key] ?? null, locale())}</td
                      >
                    {/each}
                  </tr>
                {/each}
              </tbody>
            </table>
          </div>
        {/if}
      </div>
      <div>
        <h2 class="mb-1">
          The answer as it came
          <button type="button" class="textlink ms-3 font-sans!" onclick={takeAll}
            >Take all as columns</button
          >
        </h2>
        <ul class="m-0 max-h-96 list-none overflow-auto p-0">
          <AnswerTree
            value={tried.answer}
            rows={edited.rows}
            {taken}
            onrows={(path) => {
              edited.rows = path;
              void tryOut();
            }}
            oncolumn={addColumn}
          />
        </ul>
      </div>
    {:else if failed.length === 0}
      <p class="quiet m-0">Try the query out: its answer stands here, to take columns from.</p>
    {/if}
  </div>
</div>
