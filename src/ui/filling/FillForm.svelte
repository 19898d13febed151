<script lang="ts">
  import { agoWords, say } from '$lib/core/words/say';
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
  import { mayForm } from '$lib/ui/shared/may';
  import { Filling, type FillingGiven } from './filling.svelte';
  import { goOnAfter, tellThat } from './after-saving';
  import Facts from './Facts.svelte';
  import FormBody from './FormBody.svelte';
  import type { ServerDraft } from './kept-draft';
  import Planned from './Planned.svelte';
  import Receipt from './Receipt.svelte';
  import type { Receipt as Saved } from '$lib/core/contract/answers';
  import { afterMessage } from '$lib/core/entry/after';
  import { closedAt } from '$lib/core/plan/takes';

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
  /** Whether what is saved is told in a corner, and the next record begun at once. */
  let atOnce = $state(false);
  let now = $state(Date.now());

  const problems = $derived(filling.problems());
  /** A new record can be followed by the next one at once. */
  const nexts = $derived(filling.base === null && given.guest !== true);
  /** What a save that takes more than a moment waits for. */
  const waiting = $derived.by(() => {
    if (filling.savingSince === null || now - filling.savingSince < 1000) return '';
    return session.reads.away
      ? say('Waiting for the server…')
      : session.entry.asks().length > 0
        ? say('Waiting for values that are still being looked up…')
        : say('Saving…');
  });
  /** Why the form takes nothing now, by the clock of this computer. */
  const closed = $derived(closedAt(plan.takes, new Date(now).toISOString()));
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
    untrack(() => {
      filling.keep();
      follow();
    });
  });

  /** Other questions make the form anew; the cursor stays in its field. */
  function follow() {
    filling.onrenew = () => {
      const here = cursorField();
      if (here !== undefined) void tick().then(() => goTo(here));
    };
    void filling.follow();
  }

  async function takeNewer() {
    const { newer } = filling.asking;
    if (newer) filling.takeQuestions(newer);
    await tick();
    focusFirst();
  }

  /** The field in which the cursor stands. */
  function cursorField(): string | undefined {
    return document.activeElement?.closest<HTMLElement>('[data-field]')?.dataset.field;
  }

  async function save() {
    if (filling.saving || filling.clash) return;
    const path = await filling.save();
    await tick();
    if (path !== null && !filling.clash) focusField(path);
    else if (filling.receipt && !atOnce) await goOn(filling.receipt);
  }

  /** What the plan says of what follows a save: read in the receipt, or on the way to somewhere else. */
  let message = $state('');

  async function goOn(receipt: Saved) {
    message = afterMessage(filling.session.entry);
    await goOnAfter(receipt, message, filling, () => another('next'));
  }

  /** Takes a step back or forth; the cursor stays in its field. */
  function step(which: 'undo' | 'redo') {
    const here = cursorField();
    filling[which]();
    if (here !== undefined) void tick().then(() => goTo(here));
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
    session.problems.told = [...session.problems.told, ...done.problems];
  }

  async function another(like: Parameters<Filling['another']>[0] = 'empty') {
    page = 0;
    filling.another(like);
    await tick();
    focusFirst();
  }

  /** Saves, tells it in a corner, and begins the next record. */
  async function saveAndNext() {
    atOnce = true;
    await save();
    const { receipt } = filling;
    atOnce = false;
    if (!receipt) return;
    message = afterMessage(filling.session.entry);
    tellThat(receipt, message, filling);
    await another('next');
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
    const at = pagesOf(session.form.plan).findIndex(({ sections }) =>
      sections.some((s) => (s.grid ? s.key === grid : s.fields.some((f) => f.key === path))),
    );
    if (at !== -1) page = at;
    // What stands in a line is reached by opening the line.
    if (outer && outer !== row) session.openPanel({ kind: 'line', row: outer });
    goTo(path);
  }

  /** Other people write meanwhile: what is brought and rolled up is read again when one comes back. */
  function onfocus() {
    if (!filling.ready || filling.receipt) return;
    session.refresh();
    void filling.asking.look(session.entry, { edition: given.edition });
  }

  /** Alt+N: the next field with a problem, from the one that has the focus. */
  function nextProblem() {
    session.problems.showsAll = true;
    const paths = problems.map((p) => p.path).filter((path) => path !== '');
    const here = cursorField() ?? '';
    focusField(paths[(paths.indexOf(here) + 1) % paths.length] ?? '');
  }

  function onkeydown(event: KeyboardEvent) {
    if (filling.receipt || !filling.ready) return;
    const ctrl = event.ctrlKey || event.metaKey;
    if (ctrl && event.key === 'Enter') {
      event.preventDefault();
      void (event.shiftKey && nexts ? saveAndNext() : save());
    } else if (ctrl && event.key.toLowerCase() === 'z' && !event.defaultPrevented) {
      event.preventDefault();
      step(event.shiftKey ? 'redo' : 'undo');
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
    const place = row ? `${session.words.row(row)}: ` : '';
    return { ...found, message: place + plain + found.message };
  }
</script>

<svelte:window {onkeydown} {onfocus} onpagehide={() => filling.flush()} />
<svelte:document
  onvisibilitychange={() => document.visibilityState === 'hidden' && filling.flush()}
/>

{#if filling.receipt && !atOnce}
  <Receipt
    receipt={filling.receipt}
    title={plan.title}
    guest={given.guest === true}
    thanks={given.thanks}
    {back}
    {message}
    onanother={() => another()}
    onlike={() => another('like')}
  />
{:else}
  <div class="flex h-full flex-col">
    <div class="min-h-0 flex-1 overflow-auto">
      <div
        class="mx-auto grid max-w-[1200px] grid-cols-[minmax(0,1fr)] gap-8 p-5 lg:grid-cols-[minmax(0,860px)_280px]"
      >
        <div>
          <div class="mb-3 flex flex-wrap items-baseline gap-3">
            <h1>{plan.title}</h1>
            <span class="quiet">
              {#if filling.base}
                {#if given.guest || !given.named}{title.toLowerCase()}
                {:else}<a class="ref" href="/tables/{plan.table}/records/{filling.base.stored.id}"
                    >{given.named}</a
                  >{/if}
              {:else}a new {title.toLowerCase()}{/if} · edition {given.edition}
            </span>
            {#if filling.asking.any && given.guest !== true && mayForm(given.formKey, 'open')}
              <a class="textlink ms-auto" href="/forms/{given.formKey}/answers">What was answered</a
              >
            {/if}
          </div>
          {#if plan.description}
            <p class="text-soft mt-0 mb-3 max-w-[70ch] whitespace-pre-wrap">{plan.description}</p>
          {/if}
          <div class="mb-3 grid gap-2 empty:hidden">
            {#if session.reads.away}
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
            {#if closed && filling.base === null}
              <div class="border-marigold bg-wash rounded border px-3 py-2" role="status">
                {closed.message}
                {closed.hint}
              </div>
            {/if}
            {#if filling.asking.newer}
              <div class="border-marigold bg-wash rounded border px-3 py-2" role="status">
                {filling.base
                  ? say('The questions have changed since this was asked.')
                  : say('The questions have changed since you began.')}
                <Button kind="link" onclick={takeNewer}>Take over the new ones</Button>
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
              {@const clash = filling.clash}
              {#await import('./Clash.svelte') then { default: Clash }}
                <Clash {session} {clash} onsettle={settled} />
              {/await}
            {/if}
          </div>
          {#if filling.ready}
            <div bind:this={body}>
              {#key session}<FormBody {session} bind:page facts />{/key}
            </div>
          {:else}
            <Spinner size="5" />
          {/if}
        </div>
        <aside class={['lg:pt-11', !showsPlan && 'max-lg:hidden']} aria-label="Beside the form">
          {#if filling.ready}
            <div class="max-lg:hidden"><Facts {session} /></div>
            <section aria-label="What will be written">
              <Planned {session} whole={showsPlan} />
            </section>
          {/if}
        </aside>
      </div>
    </div>
    <div class="foot bg-sheet min-h-14 shrink-0">
      <Button
        onclick={save}
        loading={filling.saving}
        disabled={!filling.ready || filling.clash !== null}
      >
        Save record <span class="ms-2 font-normal opacity-70 max-sm:hidden">Ctrl ↵</span>
      </Button>
      {#if nexts}
        <Button
          kind="other"
          title="Ctrl+Shift+Enter"
          onclick={saveAndNext}
          loading={filling.saving}
          disabled={!filling.ready || filling.clash !== null}
        >
          Save and next
        </Button>
      {/if}
      <Button kind="other" onclick={() => (showsPlan = !showsPlan)} aria-pressed={showsPlan}>
        What will be written
      </Button>
      {#if filling.ready && !given.guest}
        {#each offeredButtons(session) as button (button.key)}
          <Button
            kind="other"
            loading={filling.saving}
            disabled={filling.clash !== null}
            onclick={() => pressed(button)}>{button.label}</Button
          >
        {/each}
      {/if}
      {#if filling.canUndo || filling.canRedo}
        <span class="flex gap-3">
          <Button
            kind="link"
            title="Ctrl+Z"
            disabled={!filling.canUndo}
            onclick={() => step('undo')}>Undo</Button
          >
          <Button
            kind="link"
            title="Ctrl+Shift+Z"
            disabled={!filling.canRedo}
            onclick={() => step('redo')}>Redo</Button
          >
        </span>
      {/if}
      <span class="quiet" role="status">{said || waiting}</span>
      {#if filling.keptAt !== null}
        <span class="quiet">Draft kept {agoWords(filling.keptAt, now)}</span>
      {/if}
      <span class="quiet ms-auto max-md:hidden">Keys <kbd>?</kbd></span>
    </div>
  </div>
{/if}
