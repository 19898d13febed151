<script lang="ts">
  import { foundWords } from '$lib/core/words/about';
  import { num, say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Input, Ledger, Marked } from '$lib/ui/parts';
  import { onMount, untrack } from 'svelte';
  import { pageSize, type Choice, type Offer } from '$lib/core/entry/asks';
  import { shownPaths } from '$lib/core/plan/held';
  import type { TableChoices } from '$lib/core/plan/choices';
  import type { Problem } from '$lib/core/problems';
  import type { Table } from '$lib/core/table/definition';
  import { resolvePath, shortLabel } from '$lib/core/table/paths';
  import { formatValue } from '$lib/core/values/format';
  import { idsOf, isAmount, plainText, type Value } from '$lib/core/values/types';
  import type { WiredField } from '$lib/core/wiring/wired';
  import { startsHere } from '$lib/ui/shared/focus';
  import { lookedWords } from '$lib/ui/shared/looked';
  import type { EntrySession, Panel } from './session.svelte';

  interface Begun {
    after?: string;
    from: number;
  }
  const first: Begun = { from: 0 };

  interface Props {
    session: EntrySession;
    panel: Extract<Panel, { key: string }>;
    wired: WiredField;
    choices: TableChoices;
    table: Table;
    onclose: () => void;
  }
  let { session, panel, wired, choices, table, onclose }: Props = $props();

  const { key } = $derived(wired.field);
  const row = $derived(panel.row);
  const several = $derived(wired.type.kind === 'references');
  const columns = $derived(
    shownPaths(choices, session.tables).map((path) => ({
      label: shortLabel(session.tables, table, path),
      type: resolvePath(session.tables, table, path)?.column.type ?? plainText,
    })),
  );
  const value = $derived(session.cell(key, row).value);
  const current = $derived(
    several
      ? session.words.members(key, row)
      : value === null
        ? []
        : [{ id: 0, line: session.words.shown(key, row), bad: session.cell(key, row).notOffered }],
  );

  // What was typed in the box goes on here.
  let search = $state(untrack(() => panel.text ?? ''));
  let order = $state.raw<{ column: number; descending: boolean } | null>(null);
  /** Where each page seen so far begins, and behind how many choices. */
  let pages = $state.raw<readonly Begun[]>([first]);
  let offer = $state.raw<Offer | null>(null);
  let failure = $state.raw<Problem | null>(null);
  let active = $state(0);
  const begin = $derived(pages.at(-1)?.from ?? 0);
  const last = $derived(begin + (offer?.choices.length ?? 0));
  let asked = 0;
  let going: AbortController | undefined;
  let counting = $state.raw<AbortController>();
  let timer: ReturnType<typeof setTimeout> | undefined;
  let frame = $state<HTMLDivElement>();

  onMount(() => {
    void load();
    return () => {
      asked++;
      going?.abort();
      counting?.abort();
    };
  });

  /** Whether a search has only come a part of its way, and the page is not full yet. */
  const isLooking = ({ looked, next, choices: found }: Offer) =>
    Boolean(looked) && next !== null && found.length < pageSize;

  /** Counts all that is found; going on, or another search, ends that. */
  async function countAll() {
    counting?.abort();
    const mine = (counting = new AbortController());
    const turn = asked;
    const read = await session.list(
      key,
      search,
      pages.at(-1)?.after,
      row,
      order ?? undefined,
      mine.signal,
      true,
    );
    if (counting === mine) counting = undefined;
    if (turn !== asked || mine.signal.aborted || 'code' in read || !offer) return;
    const { found, more } = read;
    offer = { ...offer, found, more };
  }

  async function load() {
    const turn = ++asked;
    counting?.abort();
    counting = undefined;
    going?.abort();
    going = new AbortController();
    const { signal } = going;
    const { after } = pages.at(-1) ?? first;
    const read = await session.list(key, search, after, row, order ?? undefined, signal);
    if (turn !== asked) return;
    failure = 'code' in read ? read : null;
    if ('code' in read) return;
    [offer, active] = [read, 0];
    frame?.scrollTo({ top: 0 });
    // A search that has come a part of its way goes on by itself, until the page is full.
    while (isLooking(offer)) {
      const next = offer.next ?? undefined;
      const further = await session.list(key, search, next, row, order ?? undefined, signal);
      if (turn !== asked) return;
      failure = 'code' in further ? further : null;
      if ('code' in further) return;
      offer = { ...further, choices: [...offer.choices, ...further.choices] };
    }
  }

  function restart(change: () => void) {
    change();
    pages = [first];
    void load();
  }

  function oninput() {
    clearTimeout(timer);
    timer = setTimeout(() => restart(() => {}), 140);
  }

  function sortBy(column: number) {
    restart(() => {
      if (order?.column !== column) order = { column, descending: false };
      else order = order.descending ? null : { column, descending: true };
    });
  }

  function turn(by: 1 | -1) {
    if (by === 1 && offer?.next && !isLooking(offer))
      pages = [...pages, { after: offer.next, from: last }];
    else if (by === -1 && pages.length > 1) pages = pages.slice(0, -1);
    else return;
    void load();
  }

  function isChosen(choice: Choice): boolean {
    return several ? idsOf(value).includes(Number(choice.value)) : choice.value === value;
  }

  function set(chosen: Value, choice: Choice | null) {
    session.problems.touched.add(session.path(key, row));
    session.set(key, chosen, choice, row);
  }

  function take(choice: Choice) {
    if (!several) {
      set(choice.value, choice);
      return onclose();
    }
    const ids = idsOf(value);
    const id = Number(choice.value);
    const now = ids.includes(id) ? ids.filter((other) => other !== id) : [...ids, id];
    const added = ids.includes(id) ? null : choice;
    set(now.length > 0 ? now.toSorted((a, b) => a - b) : null, added);
  }

  function remove(id: number) {
    const left = idsOf(value).filter((other) => other !== id);
    set(several && left.length > 0 ? left : null, null);
  }

  function onkeydown(event: KeyboardEvent) {
    const found = offer?.choices ?? [];
    if (event.key === 'ArrowDown') active = Math.min(active + 1, found.length - 1);
    else if (event.key === 'ArrowUp') active = Math.max(active - 1, 0);
    else if (event.key === 'PageDown') turn(1);
    else if (event.key === 'PageUp') turn(-1);
    else if (event.key === 'Enter' && !event.ctrlKey) {
      const choice = found[active];
      if (choice) take(choice);
    } else return;
    event.preventDefault();
    frame?.querySelector(`#pick-${active}`)?.scrollIntoView({ block: 'nearest' });
  }
</script>

<div class="border-line-soft grid gap-2 border-b px-5 py-3">
  <div class="flex flex-wrap items-center gap-2">
    <span class="quiet">{several ? say('Chosen') : say('Chosen now')}</span>
    {#each current as { id, line, bad } (id)}
      <span class={['member', bad && 'border-crimson']}>
        {line}
        <Button kind="bare" aria-label="Remove {line}" onclick={() => remove(id)}>×</Button>
      </span>
    {:else}<span class="text-soft">nothing</span>{/each}
    {#if several}<Button class="ms-auto" onclick={onclose}>Done</Button>{/if}
  </div>
  <Input
    type="search"
    role="combobox"
    aria-expanded="true"
    aria-controls="pick-rows"
    aria-activedescendant={offer && offer.choices.length > 0 ? `pick-${active}` : undefined}
    aria-label="Search in {table.title}"
    placeholder="Search in all shown columns"
    bind:value={search}
    {oninput}
    {onkeydown}
    {@attach startsHere}
  />
</div>
<div class="min-h-0 flex-1 overflow-auto" bind:this={frame}>
  <Ledger role="grid" aria-multiselectable={several}>
    <thead>
      <tr>
        {#each columns as { label, type }, c (c)}
          <th
            class:num={isAmount(type)}
            aria-sort={order?.column !== c ? 'none' : order.descending ? 'descending' : 'ascending'}
          >
            {#if choices.distinct}{label}
            {:else}
              <Button kind="bare" onclick={() => sortBy(c)}>
                {label}{#if order?.column === c}<span aria-hidden="true"
                    >{order.descending ? ' ↓' : ' ↑'}</span
                  >{/if}
              </Button>
            {/if}
          </th>
        {/each}
      </tr>
    </thead>
    <tbody id="pick-rows">
      {#each offer?.choices ?? [] as choice, i (i)}
        <tr
          id="pick-{i}"
          class={['cursor-pointer', i === active && 'here']}
          aria-selected={isChosen(choice)}
          onclick={() => take(choice)}
          onmousemove={() => (active = i)}
        >
          {#each choice.shown as part, k (k)}
            {@const type = columns[k]?.type ?? plainText}
            <td class:num={isAmount(type)} class:font-semibold={isChosen(choice)}>
              {#if k === 0 && isChosen(choice)}<span style="color: var(--moss)">✓ </span>{/if}
              <Marked text={formatValue(type, part, reader())} typed={search} />
            </td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </Ledger>
  {#if failure}
    <p class="text-crimson px-5 py-3">{failure.message} {failure.hint}</p>
  {:else if !offer}
    <p class="text-soft px-5 py-3">Loading…</p>
  {:else if offer.choices.length === 0}
    <div class="text-soft px-5 py-3">
      {offer.next ? say('Looking …') : say('No choices.')}
      {#if offer.looked}<div>{lookedWords(offer.looked)}</div>{/if}
      {#each session.words.whyEmpty(key, offer, row) as line (line)}<div>{line}</div>{/each}
    </div>
  {/if}
</div>
<div class="foot h-11 shrink-0 text-[13px]" role="status">
  {#if offer && offer.choices.length > 0}
    <span class="text-soft">
      {#if offer.looked}
        {num(begin + 1)} to {num(last)} · {lookedWords(offer.looked)}
      {:else}
        {num(begin + 1)} to {num(last)} of
        {foundWords(Math.max(offer.found, last), offer.more)}
      {/if}
    </span>
    {#if counting}
      <Button
        kind="link"
        onclick={() => {
          counting?.abort();
          counting = undefined;
        }}>Stop counting</Button
      >
    {:else if offer.more}
      <Button kind="link" onclick={countAll}>Count them all</Button>
    {/if}
  {/if}
  <span class="ms-auto flex gap-4">
    {#if session.canAdd(key, row)}
      <Button
        kind="link"
        onclick={() => {
          session.closePanel();
          session.openPanel({ ...panel, kind: 'add' });
        }}>Add new</Button
      >
    {/if}
    {#if pages.length > 1}
      <Button kind="link" onclick={() => turn(-1)}>
        Previous page <kbd>PgUp</kbd>
      </Button>
    {/if}
    {#if offer?.next && !isLooking(offer)}
      <Button kind="link" onclick={() => turn(1)}>
        Next page <kbd>PgDn</kbd>
      </Button>
    {/if}
  </span>
</div>
