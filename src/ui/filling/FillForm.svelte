<script lang="ts">
  import { Button, Spinner } from 'flowbite-svelte';
  import { onMount, tick, untrack } from 'svelte';
  import type { Beginning } from '$lib/core/entry/entry';
  import type { Tables } from '$lib/core/table/definition';
  import type { Value } from '$lib/core/values/types';
  import { wireForm } from '$lib/core/wiring/form';
  import { pagesOf, type Plan } from '$lib/core/plan/schema';
  import type { Problem } from '$lib/core/problems';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import FormBody from './FormBody.svelte';
  import { forget, keep, readKept } from './kept-draft';
  import Planned from './Planned.svelte';
  import Receipt, { type ReceiptData } from './Receipt.svelte';
  import { EntrySession } from './session.svelte';

  interface Props {
    formKey: string;
    plan: Plan;
    edition: number;
    tables: Tables;
    /** The signed-in person. */
    person: string;
    /** What the link's address carries. */
    link: Readonly<Record<string, string>>;
  }
  let { formKey, plan, edition, tables, person, link }: Props = $props();

  const form = $derived(wireForm(plan, tables));
  let session = $state.raw(begin({ mode: 'new' }));
  let submission = crypto.randomUUID() as string;
  let receipt = $state.raw<ReceiptData | null>(null);
  let saving = $state(false);
  let ready = $state(false);
  let page = $state(0);
  let showsPlan = $state(false);
  let keptAt = $state<number | null>(null);
  let restored = $state<number | null>(null);
  let now = $state(Date.now());
  let keepTimer: ReturnType<typeof setTimeout> | undefined;

  const problems = $derived([
    ...session.serverProblems,
    ...(session.showsAll
      ? session.entry
          .problems()
          .filter((p) => !session.serverProblems.some((told) => told.path === p.path))
      : []),
  ]);

  function begin(beginning: Beginning): EntrySession {
    return new EntrySession(
      untrack(() => formKey),
      { edition: untrack(() => edition) },
      untrack(() => form),
      untrack(() => tables),
      { ...beginning, around: untrack(() => ({ person, link })) },
    );
  }

  onMount(() => {
    void restore();
    const clock = setInterval(() => (now = Date.now()), 1000);
    return () => {
      clearInterval(clock);
      clearTimeout(keepTimer);
      session.close();
    };
  });

  async function restore() {
    const kept = await readKept(formKey);
    if (kept) {
      const { values, own, rows } = kept;
      session = begin({ mode: 'resumed', takes: true, values, own, rows });
      session.changeRows((entry, reading) => entry.retype(kept.texts, reading));
      submission = kept.submission;
      restored = kept.at;
      keptAt = kept.at;
    }
    ready = true;
    void session.pump();
    await tick();
    focusFirst();
  }

  /** Keeps what is typed a moment after each change. */
  $effect(() => {
    const { version } = session;
    if (!ready || version === 0 || receipt) return;
    clearTimeout(keepTimer);
    keepTimer = setTimeout(async () => {
      const { entry } = session;
      const at = Date.now();
      const draft = { ...entry.state(), texts: entry.texts(), submission, edition, at };
      if (await keep(formKey, draft)) keptAt = at;
    }, 300);
  });

  async function save() {
    if (saving) return;
    session.serverProblems = [];
    saving = true;
    // What was changed last may still be on its way.
    await session.settled();
    saving = false;
    session.showsAll = true;
    const found = session.entry.problems();
    if (found.length > 0) return focusField(found[0]?.path ?? '');
    saving = true;
    const called = await call<{ receipt: ReceiptData }>(`/api/forms/${formKey}/entries`, {
      body: { submission, edition, values: session.entry.values(), rows: rowsOf(session) },
    });
    saving = false;
    if (called.ok) {
      clearTimeout(keepTimer);
      await forget(formKey);
      receipt = called.value.receipt;
    } else {
      session.serverProblems = called.problems;
      // What was seen here is not as it is now.
      if (called.status === 422) session.refresh();
      await tick();
      focusField(called.problems[0]?.path ?? '');
    }
  }

  /** The rows as they are saved: without what only this screen knows of them. */
  function rowsOf({ entry }: EntrySession): Record<string, { values: Record<string, Value> }[]> {
    const { rows } = entry.state();
    return Object.fromEntries(
      Object.entries(rows).map(([grid, list]) => [
        grid,
        list.map(({ values }) => ({ values: values as Record<string, Value> })),
      ]),
    );
  }

  /** Begins anew: empty, or with what was put into the entry that was just saved. */
  async function another(like = false) {
    const state = session.entry.state();
    session.close();
    submission = crypto.randomUUID();
    receipt = null;
    restored = null;
    keptAt = null;
    page = 0;
    session = like ? begin({ mode: 'resumed', takes: true, ...state }) : begin({ mode: 'new' });
    void session.pump();
    await tick();
    focusFirst();
  }

  async function startOver() {
    clearTimeout(keepTimer);
    await forget(formKey);
    await another();
  }

  function focusFirst() {
    const first = plan.startsAt === null ? null : control(plan.startsAt);
    (first ?? document.querySelector<HTMLElement>('[data-field] .control:not(:disabled)'))?.focus();
  }

  /** Goes to a field, on whatever page it stands. */
  async function focusField(path: string) {
    const grid = /^(\w+)\[/.exec(path)?.[1];
    const at = pagesOf(plan).findIndex(({ sections }) =>
      sections.some((s) => (s.grid ? s.key === grid : s.fields.some((f) => f.key === path))),
    );
    if (at !== -1) page = at;
    await tick();
    const found = control(path) ?? document.querySelector<HTMLElement>(`[data-field="${path}"]`);
    found?.focus();
  }

  function control(key: string): HTMLElement | null {
    return document.querySelector<HTMLElement>(`[data-field="${key}"] .control`);
  }

  /** Other people write meanwhile: what is brought and rolled up is read again when one comes back. */
  function onfocus() {
    if (ready && !receipt) session.refresh();
  }

  /** Alt+N: the next field with a problem, from the one that has the focus. */
  function nextProblem() {
    session.showsAll = true;
    const paths = problems.map((p) => p.path).filter((path) => path !== '');
    const here = document.activeElement?.closest<HTMLElement>('[data-field]')?.dataset.field ?? '';
    focusField(paths[(paths.indexOf(here) + 1) % paths.length] ?? '');
  }

  function onkeydown(event: KeyboardEvent) {
    if (receipt || !ready) return;
    if (event.ctrlKey && event.key === 'Enter') {
      event.preventDefault();
      void save();
    } else if (event.altKey && event.key.toLowerCase() === 'n') {
      event.preventDefault();
      nextProblem();
    }
  }

  function ago(at: number): string {
    const seconds = Math.max(0, Math.round((now - at) / 1000));
    if (seconds < 60) return `${seconds} s ago`;
    return seconds < 3600 ? `${Math.round(seconds / 60)} min ago` : new Date(at).toLocaleString();
  }

  /** A problem in the list over the form says which field it means; at the field that is plain. */
  function named(found: Problem): Problem {
    const [, grid = '', line, inRow = ''] = /^(\w+)\[(\d+)\]\.?(\w*)$/.exec(found.path) ?? [];
    const scope = form.scopes.get(grid);
    const label = (scope ?? form).fields.get(inRow || found.path)?.field.label ?? '';
    const said = found.message.toLowerCase().includes(label.toLowerCase());
    const plain = said ? '' : `${label}: `;
    const place = scope && grid !== '' ? `${scope.title}, line ${Number(line) + 1}: ` : '';
    return { ...found, message: place + plain + found.message };
  }
</script>

<svelte:window {onkeydown} {onfocus} />

{#if receipt}
  <Receipt
    {receipt}
    {formKey}
    title={plan.title}
    onanother={() => another()}
    onlike={() => another(true)}
  />
{:else}
  <div class="flex h-full flex-col">
    <div class="min-h-0 flex-1 overflow-auto">
      <div class="mx-auto grid max-w-[1200px] gap-8 p-5 lg:grid-cols-[minmax(0,860px)_280px]">
        <div>
          <div class="mb-3 flex flex-wrap items-baseline gap-3">
            <h1>{plan.title}</h1>
            <span class="quiet">
              a new {tables.get(plan.table)?.title.toLowerCase()} · edition {edition}
            </span>
          </div>
          <div class="mb-3 grid gap-2 empty:hidden">
            {#if session.away}
              <div class="border-marigold bg-wash rounded border px-3 py-2" role="status">
                The server does not answer just now. What you typed is kept; it is tried again by
                itself.
              </div>
            {/if}
            {#if restored !== null}
              <div class="quiet" role="status">
                Here is what you typed {ago(restored)} and did not save.
                <button type="button" class="textlink" onclick={startOver}>Start over</button>
              </div>
            {/if}
            <Problems problems={problems.map(named)} onshow={focusField} />
          </div>
          {#if ready}
            <FormBody {session} bind:page />
          {:else}
            <Spinner size="5" />
          {/if}
        </div>
        {#if showsPlan}
          <aside class="lg:pt-11" aria-label="What will be written">
            <Planned {session} />
          </aside>
        {/if}
      </div>
    </div>
    <div class="foot bg-sheet h-14 shrink-0">
      <Button onclick={save} loading={saving} disabled={!ready}>
        Save record <span class="ms-2 font-normal opacity-70">Ctrl ↵</span>
      </Button>
      <Button color="light" onclick={() => (showsPlan = !showsPlan)} aria-pressed={showsPlan}>
        What will be written
      </Button>
      <span class="quiet" role="status">
        {#if keptAt !== null}Kept in this browser {ago(keptAt)}{/if}
      </span>
    </div>
  </div>
{/if}
