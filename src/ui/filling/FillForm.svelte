<script lang="ts">
  import { agoWords } from '$lib/core/words/say';
  import { openedAnswer } from '$lib/core/contract/answers';
  import { Button, Spinner } from '$lib/ui/parts';
  import { onMount, tick, untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { pagesOf } from '$lib/core/plan/scopes';
  import type { WiredButton } from '$lib/core/wiring/buttons';
  import { offeredButtons, press } from './buttons';
  import type { Problem } from '$lib/core/problems';
  import { call } from '$lib/ui/shared/api';
  import { firstControl, goTo } from '$lib/ui/shared/focus';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import Clash from './Clash.svelte';
  import { Filling, type FillingGiven } from './filling.svelte';
  import FormBody from './FormBody.svelte';
  import type { ServerDraft } from './kept-draft';
  import Planned from './Planned.svelte';
  import Receipt from './Receipt.svelte';

  interface Props {
    given: FillingGiven;
    /** The draft that the server keeps for this person. */
    draft: ServerDraft | null;
    /** Where the person came from, to go back to after saving. */
    back: string | null;
  }
  let { given, draft, back }: Props = $props();

  const filling = new Filling(untrack(() => given));
  const session = $derived(filling.session);
  const plan = untrack(() => given.plan);
  const title = untrack(() => given.tables.get(plan.table)?.title ?? plan.table);
  let page = $state(0);
  let body = $state<HTMLElement>();
  let showsPlan = $state(false);
  let now = $state(Date.now());

  const problems = $derived(filling.problems());
  const deleted = $derived(problems.some(({ code }) => code === 'deleted_meanwhile'));

  onMount(() => {
    void filling.start(draft).then(tick).then(focusFirst);
    const clock = setInterval(() => (now = Date.now()), 1000);
    return () => {
      clearInterval(clock);
      filling.close();
    };
  });

  $effect(() => {
    void session.edits;
    untrack(() => filling.keep());
  });

  async function save() {
    if (filling.saving || filling.clash) return;
    const path = await filling.save();
    await tick();
    if (path !== null && !filling.clash) focusField(path);
  }

  let said = $state('');

  /** A button of the form's own: its steps, one after the other. */
  async function pressed(button: WiredButton) {
    said = '';
    const done = await press(button, {
      session,
      save: async () => {
        await save();
        return filling.receipt !== null;
      },
      tell: (key) => filling.tell(key),
      open: (address) => void goto(address),
    });
    said = done.told;
    session.serverProblems = [...session.serverProblems, ...done.problems];
  }

  async function another(like = false) {
    page = 0;
    filling.another(like);
    await tick();
    focusFirst();
  }

  async function startOver() {
    page = 0;
    const { base } = filling;
    const address = `/api/forms/${given.formKey}/records/${base?.stored.id}?edition=${given.edition}`;
    const read = base && (await call(openedAnswer, address));
    await filling.startOver(read?.ok ? read.value.opened : base);
    await tick();
    focusFirst();
  }

  async function settled(sides: Parameters<Filling['settleClash']>[0]) {
    filling.settleClash(sides);
    await tick();
    focusFirst();
  }

  function focusFirst() {
    const first = plan.startsAt === null ? null : plan.startsAt;
    if (first !== null) goTo(first);
    else if (body) firstControl(body)?.focus();
  }

  /** Goes to a field, on whatever page it stands. */
  function focusField(path: string) {
    const row = session.rowAt(path);
    const outer = row?.parent && row.parent.scope.key !== '' ? row.parent : row;
    const grid = outer?.scope.key;
    const at = pagesOf(plan).findIndex(({ sections }) =>
      sections.some((s) => (s.grid ? s.key === grid : s.fields.some((f) => f.key === path))),
    );
    if (at !== -1) page = at;
    // What stands in a line is reached by opening the line.
    if (outer && outer !== row) session.openPanel({ kind: 'line', row: outer });
    goTo(path);
  }

  /** Other people write meanwhile: what is brought and rolled up is read again when one comes back. */
  function onfocus() {
    if (filling.ready && !filling.receipt) session.refresh();
  }

  /** Alt+N: the next field with a problem, from the one that has the focus. */
  function nextProblem() {
    session.showsAll = true;
    const paths = problems.map((p) => p.path).filter((path) => path !== '');
    const here = document.activeElement?.closest<HTMLElement>('[data-field]')?.dataset.field ?? '';
    focusField(paths[(paths.indexOf(here) + 1) % paths.length] ?? '');
  }

  function onkeydown(event: KeyboardEvent) {
    if (filling.receipt || !filling.ready) return;
    if (event.ctrlKey && event.key === 'Enter') {
      event.preventDefault();
      void save();
    } else if (event.altKey && event.key.toLowerCase() === 'n') {
      event.preventDefault();
      nextProblem();
    }
  }

  /** A problem in the list over the form says which field it means; at the field that is plain. */
  function named(found: Problem): Problem {
    const row = session.rowAt(found.path);
    const key = found.path.split('.').at(-1) ?? '';
    const label = session.wired(key, row)?.field.label ?? '';
    const said = found.message.toLowerCase().includes(label.toLowerCase());
    const plain = said ? '' : `${label}: `;
    const place = row ? `${session.rowWords(row)}: ` : '';
    return { ...found, message: place + plain + found.message };
  }
</script>

<svelte:window {onkeydown} {onfocus} />

{#if filling.receipt}
  <Receipt
    receipt={filling.receipt}
    formKey={given.formKey}
    title={plan.title}
    guest={given.guest === true}
    {back}
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
              {#if filling.base}
                {title.toLowerCase()}
                {#if given.guest}record {filling.base.stored.id}
                {:else}<a class="ref" href="/tables/{plan.table}/records/{filling.base.stored.id}">
                    record {filling.base.stored.id}</a
                  >{/if}
              {:else}a new {title.toLowerCase()}{/if} · edition {given.edition}
            </span>
          </div>
          <div class="mb-3 grid gap-2 empty:hidden">
            {#if session.away}
              <div class="border-marigold bg-wash rounded border px-3 py-2" role="status">
                The server is not responding. What you typed is safe; we keep trying.
              </div>
            {/if}
            {#if filling.note}
              <div class="border-moss bg-sheet rounded border px-3 py-2" role="status">
                {filling.note}
              </div>
            {/if}
            {#if filling.restored !== null}
              <div class="quiet" role="status">
                We kept what you typed {agoWords(filling.restored, now)} and had not saved.
                <Button kind="link" onclick={startOver}>Start over</Button>
              </div>
            {/if}
            <Problems problems={problems.map(named)} onshow={focusField} />
            {#if deleted}
              <div>
                <Button kind="other" onclick={() => filling.saveAsNew()}>
                  Save as a new record
                </Button>
              </div>
            {/if}
            {#if filling.clash}
              <Clash {session} clash={filling.clash} onsettle={settled} />
            {/if}
          </div>
          {#if filling.ready}
            <div bind:this={body}><FormBody {session} bind:page /></div>
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
      <Button
        onclick={save}
        loading={filling.saving}
        disabled={!filling.ready || filling.clash !== null}
      >
        Save record <span class="ms-2 font-normal opacity-70">Ctrl ↵</span>
      </Button>
      <Button kind="other" onclick={() => (showsPlan = !showsPlan)} aria-pressed={showsPlan}>
        What will be written
      </Button>
      {#if filling.ready && !given.guest}
        {#each offeredButtons(session) as button (button.key)}
          <Button
            kind="other"
            disabled={filling.saving || filling.clash !== null}
            onclick={() => pressed(button)}>{button.label}</Button
          >
        {/each}
      {/if}
      <span class="quiet" role="status">
        {#if said}{said}{/if}
        {#if filling.keptAt !== null}Draft kept {agoWords(filling.keptAt, now)}{/if}
      </span>
    </div>
  </div>
{/if}
