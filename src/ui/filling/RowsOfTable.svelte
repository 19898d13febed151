<script lang="ts">
  import { foundWords } from '$lib/core/words/about';
  import { reader } from '$lib/core/words/reader';
  import { Button, Ledger } from '$lib/ui/parts';
  import { untrack } from 'svelte';
  import type { Offer } from '$lib/core/entry/asks';
  import { shownPaths } from '$lib/core/plan/held';
  import { type Field } from '$lib/core/plan/schema';
  import { tableChoices } from '$lib/core/plan/choices';
  import type { Problem } from '$lib/core/problems';
  import { resolvePath, shortLabel } from '$lib/core/table/paths';
  import { markOf } from '$lib/core/table/view';
  import { formatValue } from '$lib/core/values/format';
  import { isAmount, plainText } from '$lib/core/values/types';
  import { ago } from '$lib/ui/shared/ago';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    field: Field;
  }
  let { session, field }: Props = $props();

  const choices = $derived(tableChoices(field));
  const table = $derived(choices ? session.tables.get(choices.table) : undefined);
  const outside = $derived(field.choices?.kind === 'outside' ? field.choices : null);
  const query = $derived(outside ? session.tables.queries.get(outside.query) : undefined);
  const columns = $derived(
    query && outside
      ? outside.shown.map((path) => {
          const column = query.columns.find(({ key }) => key === path);
          return { path, label: column?.label ?? path, type: column?.type ?? plainText };
        })
      : choices && table
        ? shownPaths(choices, session.tables).map((path) => ({
            path,
            label: shortLabel(session.tables, table, path),
            type: resolvePath(session.tables, table, path)?.column.type ?? plainText,
          }))
        : [],
  );
  /** The marks of the table's first view that marks one of these columns. */
  const view = $derived(
    table?.views?.find(({ thresholds }) =>
      thresholds.some(({ column }) => columns.some(({ path }) => path === column)),
    ),
  );
  const list = $derived(session.choices(field.key));
  /** What the rows hang on: they are read again when it is another. */
  const given = $derived(JSON.stringify(session.narrowing(field.key)));

  let pages = $state.raw<(string | undefined)[]>([undefined]);
  let offer = $state.raw<Offer | null>(null);
  let failure = $state.raw<Problem | null>(null);
  let asked = 0;

  $effect(() => {
    void given;
    const waits = list.status === 'waiting';
    untrack(() => {
      pages = [undefined];
      if (waits) [offer, failure] = [null, null];
      else void load();
    });
  });

  async function load() {
    const turn = ++asked;
    const read = await session.list(field.key, '', pages.at(-1));
    if (turn !== asked) return;
    failure = 'code' in read ? read : null;
    offer = 'code' in read ? offer : read;
  }

  function turn(by: 1 | -1) {
    if (by === 1 && offer?.next) pages = [...pages, offer.next];
    else if (by === -1) pages = pages.slice(0, -1);
    void load();
  }
</script>

<div class="rows" data-field={field.key}>
  <div class="mb-1 flex items-baseline gap-3">
    <span class="font-semibold" id="rows-{field.key}">{field.label}</span>
    {#if offer}
      <span class="quiet">
        {foundWords(offer.found, offer.more)}
        {#if table}of {table.title.toLowerCase()}{:else if offer.at}· from outside {ago(
            offer.at,
          )}{/if}
      </span>
    {/if}
    <span class="ms-auto flex gap-4">
      {#if pages.length > 1}
        <Button kind="link" onclick={() => turn(-1)}>Previous page</Button>
      {/if}
      {#if offer?.next}
        <Button kind="link" onclick={() => turn(1)}>Next page</Button>
      {/if}
    </span>
  </div>
  {#if list.status === 'waiting'}
    <p class="quiet">choose {session.words.labelNamed(list.for)} first</p>
  {:else if failure}
    <p>
      <span class="text-crimson">{failure.message}</span>
      {failure.hint}
      <Button kind="link" onclick={load}>Try again</Button>
    </p>
  {:else if offer && offer.choices.length === 0}
    <p class="quiet">None.</p>
  {:else if offer}
    <div class="max-h-72 overflow-auto">
      <Ledger class="border-line border" aria-labelledby="rows-{field.key}">
        <thead>
          <tr>
            {#each columns as { path, label, type } (path)}
              <th class:num={isAmount(type)}>{label}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each offer.choices as choice, i (i)}
            <tr>
              {#each columns as { path, type }, c (path)}
                {@const value = choice.shown[c] ?? null}
                {@const mark = view ? markOf(view, path, value) : null}
                <td class:num={isAmount(type)}>
                  {#if mark}<span class="mark {mark.tone}">{mark.word}</span>{/if}
                  {#if c === 0 && choices?.stores.kind === 'link'}
                    <a class="ref" href="/tables/{table?.key}/records/{choice.value}"
                      >{formatValue(type, value, reader())}</a
                    >
                  {:else}{formatValue(type, value, reader())}{/if}
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </Ledger>
    </div>
  {/if}
</div>
