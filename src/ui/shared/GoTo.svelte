<script lang="ts" module>
  /** Something that one can go to by name. */
  export interface Place {
    label: string;
    kind: string;
    href: string;
  }
</script>

<script lang="ts">
  import { mayPlace } from './may';
  import { say } from '$lib/core/words/say';
  import { goto } from '$app/navigation';
  import { foundAnswer, placesAnswer } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { Button, Combobox, Marked, Modal, type Found } from '$lib/ui/parts';
  import { call } from './api';

  let open = $state(false);
  /** What there is by name: asked for when somebody looks for it. */
  let places = $state.raw<Promise<readonly Place[]> | null>(null);

  async function readPlaces(): Promise<readonly Place[]> {
    const read = await call(placesAnswer, '/api/places');
    return read.ok ? read.value.places : [];
  }

  function begin() {
    places = readPlaces();
    open = true;
  }

  interface Going extends Place {
    group: string;
  }

  const pages = $derived<Place[]>([
    { label: say('Home'), kind: say('what you began and use'), href: '/' },
    { label: say('Forms'), kind: say('all of them'), href: '/forms' },
    { label: say('Tables'), kind: say('all of them'), href: '/tables' },
    { label: say('Lists'), kind: say('option lists'), href: '/lists' },
    ...(mayPlace('outside')
      ? [
          { label: say('Outside'), kind: say('connections and queries'), href: '/outside' },
          {
            label: say('Waiting to be sent'),
            kind: say('to outside systems'),
            href: '/outside/outbox',
          },
        ]
      : []),
    { label: say('Activity'), kind: say('who saved what'), href: '/activity' },
    ...(mayPlace('people')
      ? [
          { label: say('People'), kind: say('accounts'), href: '/people' },
          { label: say('Rights'), kind: say('who may do what'), href: '/people/rights' },
        ]
      : []),
    { label: say('Your account'), kind: say('password, sessions, tokens'), href: '/account' },
  ]);
  const actions = $derived<Place[]>([
    ...(mayPlace('tables')
      ? [{ label: say('New table'), kind: say('by hand or from a file'), href: '/tables/new' }]
      : []),
    ...(mayPlace('outside')
      ? [
          {
            label: say('New connection'),
            kind: say('to an outside system'),
            href: '/outside/new',
          },
          {
            label: say('New query'),
            kind: say('to an outside system'),
            href: '/outside/queries/new',
          },
        ]
      : []),
  ]);
  const grouped = (group: string, of: readonly Place[]) => of.map((place) => ({ ...place, group }));
  const fixed = $derived([...grouped(say('Pages'), pages), ...grouped(say('Actions'), actions)]);

  /** What stands here by name, and then records, by what names them. */
  async function find(
    search: string,
    after?: string,
    signal?: AbortSignal,
  ): Promise<Found<Going> | Problem> {
    if (after) return { choices: await findRecords(search.trim(), signal) };
    const words = search.trim().toLowerCase().split(/\s+/);
    const known = [...grouped(say('Forms, tables and lists'), (await places) ?? []), ...fixed];
    const here = known.filter(({ label, kind }) => {
      const text = `${label} ${kind}`.toLowerCase();
      return words.every((word) => text.includes(word));
    });
    return { choices: here, next: search.trim().length < 2 ? null : 'records' };
  }

  async function findRecords(text: string, signal?: AbortSignal): Promise<Going[]> {
    const read = await call(foundAnswer, `/api/find?search=${encodeURIComponent(text)}`, {
      signal,
    });
    if (!read.ok) return [];
    const records = read.value.records.map(({ table, title, id, shown }) => ({
      label: shown,
      kind: title,
      href: `/tables/${table}/records/${id}`,
    }));
    return grouped(say('Records'), records);
  }

  function go(place: Place | null) {
    if (!place) return;
    open = false;
    void goto(place.href);
  }

  function onwindowkey(event: KeyboardEvent) {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      begin();
    }
  }
</script>

<svelte:window onkeydown={onwindowkey} />

<Button
  kind="bare"
  class="border-line bg-sheet text-soft ml-auto flex items-center justify-between rounded border px-2.5 py-1 whitespace-nowrap md:w-55"
  onclick={begin}
>
  Go to… <kbd class="max-md:hidden">Ctrl K</kbd>
</Button>

<Modal bind:open asks={false} size="sm" title="Go to" placement="top-center" outsideclose>
  {#if open}
    <Combobox
      id="go-to"
      label="where to go"
      named
      inline
      starts
      keeps
      shown=""
      placeholder="A form, a table, a record, a page"
      {find}
      patience={80}
      groupOf={({ group }) => group}
      onchoose={go}
    >
      {#snippet option({ label, kind }, { typed })}
        <span class="flex items-baseline justify-between gap-4">
          <span class="truncate"><Marked text={label} {typed} /></span>
          <span class="quiet shrink-0">{kind}</span>
        </span>
      {/snippet}
    </Combobox>
  {/if}
</Modal>
