<script lang="ts">
  import type { PersonFacts } from '$lib/core/entry/person';
  import { foundWords } from '$lib/core/words/about';
  import { plural, say } from '$lib/core/words/say';
  import { Button, Pane, SplitPane } from '$lib/ui/parts';
  import { onMount, tick, untrack } from 'svelte';
  import { settlePending } from '$lib/ui/shared/pending';
  import { invalidate, replaceState } from '$app/navigation';
  import { page } from '$app/state';
  import { refusedDefaults } from '$lib/core/entry/refused-defaults';
  import { sortedFindings } from '$lib/core/plan/checkup';
  import { wiredDraft } from '$lib/core/wiring/examine';
  import type { Plan } from '$lib/core/plan/schema';
  import type { Problem } from '$lib/core/problems';
  import type { House } from '$lib/core/table/definition';
  import type { EntrySession } from '$lib/ui/filling/session.svelte';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import Checkup from './Checkup.svelte';
  import Editions from './Editions.svelte';
  import Publish from './Publish.svelte';
  import { DesignSession } from './design-session.svelte';
  import LiveForm from './LiveForm.svelte';
  import KeepRehearsal from './KeepRehearsal.svelte';
  import Rehearsals from './Rehearsals.svelte';
  import { Rehearsing } from './rehearsing.svelte';
  import AboutForm from './AboutForm.svelte';
  import Meanwhile from './Meanwhile.svelte';
  import PlanSheet from './PlanSheet.svelte';
  import { addressOf, scopeOf } from '$lib/core/plan/scopes';
  import { goTo } from '$lib/ui/shared/focus';
  import { cellAddress, type Cell } from './questions';

  /** Milliseconds after which it is looked again whether somebody else changed the draft. */
  const lookEvery = 3000;

  interface Props {
    form: { key: string; revision: number; edition: number; changed: boolean };
    plan: Plan;
    tables: House;
    counts: ReadonlyMap<string, number>;
    /** By table, the roles that fill in the form and do not see all of it. */
    limited: ReadonlyMap<string, readonly string[]>;
    /** Whether the database is a cluster. */
    clustered: boolean;
    person: PersonFacts;
  }
  let { form, plan, tables, counts, limited, clustered, person }: Props = $props();

  const design = untrack(() => new DesignSession(form.key, plan, form));
  onMount(() => {
    void design.recall();
    const [first] = plan.sections.flatMap((section) =>
      section.fields.map(({ key }) => addressOf(scopeOf(section), key)),
    );
    if (first !== undefined) goTo(cellAddress({ field: first, question: 'field' }));
    const timer = setInterval(() => {
      if (document.visibilityState === 'visible') void design.look();
    }, lookEvery);
    return () => clearInterval(timer);
  });
  // What somebody else did may have changed the tables too.
  $effect(() => {
    if (design.meanwhile) void invalidate('unisor:tables');
  });
  let open = $state.raw<Cell | null>(null);
  let lit = $state<string | null>(null);
  let live = $state.raw<EntrySession | null>(null);
  let refused = $state.raw<Problem[]>([]);
  let published = $state<number | null>(null);
  let publishing = $state(false);
  let lookingBack = $state(false);
  let about = $state(false);
  const rehearsing = untrack(() => new Rehearsing(form.key));
  let rehearsals = $state(false);
  /** Whether a name is asked for what stands in the live form. */
  let naming = $state(false);
  onMount(() => {
    void rehearsing.load();
    return () => rehearsing.close();
  });
  const address = untrack(() => page.url.searchParams);
  let view = $state<'sheet' | 'wiring'>(address.get('view') === 'wiring' ? 'wiring' : 'sheet');
  /** What is chosen in the picture. */
  let chosen = $state(address.get('field'));

  /** Shows the sheet or the picture, and what is chosen there; the address says so too. */
  function turn(to: typeof view, field: string | null = null) {
    [view, chosen] = [to, field];
    const url = new URL(page.url);
    const said = { view: to === 'wiring' ? to : null, field };
    for (const [name, value] of Object.entries(said)) {
      if (value === null) url.searchParams.delete(name);
      else url.searchParams.set(name, value);
    }
    replaceState(url, page.state);
  }

  const draft = $derived(wiredDraft(design.plan, tables, { sizes: counts, limited }));
  const findings = $derived(
    sortedFindings([...draft.findings, ...(live ? refusedDefaults(live.entry) : [])]),
  );
  const problems = $derived(findings.filter((f) => f.level === 'problem').length);
  $effect(() => {
    const wired = draft.form;
    if (!wired) return;
    const revision = () => design.revisionOf(wired.plan);
    untrack(() => rehearsing.follow({ form: wired, revision }));
  });
  const failing = $derived(rehearsing.failing.length);
  const holding = $derived(Object.keys(rehearsing.outcomes).length - failing);
  const target = $derived(tables.get(design.plan.table));
  const draftWords = $derived(
    design.edition === 0
      ? say('draft, not published yet')
      : design.changed
        ? say(`draft after edition ${design.edition}`)
        : say(`as edition ${design.edition}`),
  );

  function edit(change: (plan: Plan) => Plan) {
    published = null;
    design.apply(change);
  }

  function offered(field: string): string {
    if (!live?.form.fields.has(field)) return '';
    const state = live.choices(field);
    if (state.status === 'waiting') return say(`waits for ${live.words.label(state.for)} now`);
    if (state.status !== 'offered' && state.status !== 'empty') return '';
    return say(`${foundWords(state.offer.found, state.offer.more)} offered now`);
  }

  /** What stands in a band and is not kept yet is kept first; what is wrong with it then shows in the checkup. */
  async function askPublish() {
    await settlePending();
    await tick();
    publishing = problems === 0 && (design.edition === 0 || design.changed);
  }

  async function publish(why: string): Promise<Problem[]> {
    refused = await design.publish(why);
    // With the indexes that were made, and those that are under way.
    if (refused.length === 0) void invalidate('unisor:tables');
    published = refused.length === 0 ? design.edition : null;
    return refused;
  }

  /** Opens a line of the sheet, from the picture. */
  function openLine(field: string) {
    turn('sheet');
    open = { field, question: 'source' };
  }

  /** The fields that the last change in the live form has touched. */
  const lastPath = $derived.by(() => {
    const trace = live?.entry.trace ?? [];
    const from = trace.findLastIndex((event) => event.kind === 'set' && event.cause === null);
    return from === -1 ? [] : [...new Set(trace.slice(from).map((event) => event.field))];
  });

  async function show(field: string) {
    await tick();
    goTo(cellAddress({ field, question: 'field' }));
    lit = field;
  }

  function onkeydown(event: KeyboardEvent) {
    if (!event.ctrlKey && !event.metaKey) return;
    const key = event.key.toLowerCase();
    const typing = (event.target as HTMLElement).closest('input, textarea');
    const dialog = key === 's' || (key === 'e' && event.altKey);
    if (key === 's') void askPublish();
    else if (dialog) lookingBack = true;
    else if (key === 'z' && !typing && event.shiftKey) design.redo();
    else if (key === 'z' && !typing) design.undo();
    else return;
    event.preventDefault();
  }
</script>

<svelte:window {onkeydown} />

<div class="flex h-full flex-col">
  <div class="headline shrink-0">
    <h1>{design.plan.title}</h1>
    <span class="quiet">
      {#if design.plan.through}
        passes through to <b>{tables.queries.get(design.plan.through.query)?.title ?? '?'}</b>,
        stores nothing here
      {:else}
        writes to <b>{target?.title.toLowerCase() ?? design.plan.table}</b>
      {/if} · {draftWords}
    </span>
    <span class="quiet" role="status">
      {#if design.state === 'keeping'}saving…
      {:else if design.state === 'away'}
        <span class="text-crimson">the server is not responding; your changes wait here</span>
      {:else if design.state === 'kept'}kept{/if}
    </span>
    <div class="border-line ms-auto flex rounded border" role="group" aria-label="View">
      {#each [{ key: 'sheet', word: say('Sheet') }, { key: 'wiring', word: say('Wiring') }] as const as { key, word } (key)}
        <Button
          kind="bare"
          class="border-line border-r px-3 py-1.5 last:border-r-0 {view === key
            ? 'font-semibold'
            : ''}"
          style={view === key ? 'box-shadow: inset 0 -2px 0 var(--marigold)' : ''}
          aria-pressed={view === key}
          onclick={() => turn(key)}>{word}</Button
        >
      {/each}
    </div>
    <div class="flex flex-wrap gap-2">
      <Button kind="other" disabled={!design.canUndo} onclick={() => design.undo()}>Undo</Button>
      <Button kind="other" disabled={!design.canRedo} onclick={() => design.redo()}>Redo</Button>
      {#if design.edition > 0}<Button kind="other" href="/forms/{form.key}">Fill in</Button>{/if}
      <Button kind="other" onclick={() => (lookingBack = true)}>Editions</Button>
      <Button kind="other" onclick={() => (about = true)}>More…</Button>
      {#if design.edition === 0 || design.changed}
        <Button disabled={problems > 0} onclick={askPublish}>
          Publish edition {design.edition + 1}
        </Button>
      {:else}
        <span class="quiet self-center">Edition {design.edition} is published</span>
      {/if}
    </div>
  </div>
  {#if published !== null || refused.length > 0 || design.state === 'refused'}
    <div class="px-5 pb-2">
      {#if published !== null}
        <span role="status">
          <b style="color: var(--moss)">Edition {published} is published.</b>
          <a class="textlink" href="/forms/{form.key}">Fill it in</a>
        </span>
      {/if}
      <Problems problems={design.state === 'refused' ? design.problems : refused} />
    </div>
  {/if}
  {#if design.meanwhile}
    <Meanwhile
      meanwhile={design.meanwhile}
      mine={design.state === 'refused' ? design.plan : null}
      {tables}
      onseen={() => (design.meanwhile = null)}
      onsettle={(whose) => design.settle(whose)}
    />
  {/if}
  {#if view === 'wiring' && draft.form}
    {@const form = draft.form}
    <div class="border-line min-h-0 flex-1 border-t">
      {#await import('./WiringPicture.svelte') then { default: WiringPicture }}
        <WiringPicture
          {form}
          {counts}
          path={lastPath}
          {chosen}
          onchoose={(field) => turn('wiring', field)}
          onopen={openLine}
        />
      {/await}
    </div>
  {/if}
  <div
    class="border-line min-h-0 flex-1 border-t"
    hidden={view === 'wiring' && draft.form !== null}
  >
    <SplitPane initialSizes={[62, 38]} minSize={280}>
      <Pane>
        <div class="h-full overflow-auto">
          <PlanSheet
            plan={design.plan}
            {tables}
            {counts}
            bind:open
            {lit}
            {offered}
            {live}
            onedit={edit}
            onhover={(field) => (lit = field)}
          />
        </div>
      </Pane>
      <Pane>
        {#if draft.form}
          <LiveForm
            formKey={form.key}
            form={draft.form}
            {tables}
            revisionOf={(plan) => design.revisionOf(plan)}
            {lit}
            {person}
            onhover={(field) => (lit = field)}
            onsession={(session) => (live = session)}
            onkeep={() => (naming = true)}
          />
        {:else}
          <p class="text-soft m-0 p-5">
            The live form comes back once the draft has no more problems; the checkup below lists
            them.
          </p>
        {/if}
      </Pane>
    </SplitPane>
  </div>
  <Checkup {findings} onshow={show} onfix={edit}>
    {#snippet beside()}
      <span class="border-line flex gap-4 border-s ps-4">
        <Button kind="link" onclick={() => (rehearsals = true)}>Rehearsals</Button>
        {#if failing > 0}
          <span class="text-crimson" role="status">
            {plural(failing, ['# does not hold', '# do not hold'])}
          </span>
        {:else if holding > 0}
          <span style="color: var(--moss)">
            {plural(holding, ['# holds', '# hold'])}
          </span>
        {/if}
      </span>
    {/snippet}
  </Checkup>
</div>

<Publish
  bind:open={publishing}
  formKey={form.key}
  edition={design.edition}
  draft={design.plan}
  {tables}
  {findings}
  records={design.plan.through ? 0 : (counts.get(design.plan.table) ?? 0)}
  {counts}
  {clustered}
  failing={rehearsing.failing.map(({ name }) => name)}
  onpublish={publish}
/>
<KeepRehearsal
  bind:open={naming}
  onkeep={async (name) => (live ? rehearsing.keep(name, live.entry, live.askedHashes) : [])}
/>
<Rehearsals bind:open={rehearsals} {rehearsing} form={draft.form} {tables} />
<Editions
  bind:open={lookingBack}
  formKey={form.key}
  draft={design.plan}
  {tables}
  onrestore={(plan, brought = []) => {
    edit(() => plan);
    if (brought.length > 0) void rehearsing.bring(brought);
  }}
/>
<AboutForm
  formKey={form.key}
  plan={design.plan}
  edition={design.edition}
  bind:open={about}
  onedit={edit}
/>
