<script lang="ts">
  import type { PersonFacts } from '$lib/core/entry/person';
  import { plural, say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import type { WiredButton } from '$lib/core/wiring/buttons';
  import { offeredButtons, press } from '$lib/ui/filling/buttons';
  import { onDestroy, untrack } from 'svelte';
  import { traceWords } from '$lib/core/entry/words';
  import type { Plan } from '$lib/core/plan/schema';
  import type { House } from '$lib/core/table/definition';
  import { newBeginning, type Beginning } from '$lib/core/entry/beginning';
  import { fittingState } from '$lib/core/entry/fitting';
  import type { EntryState } from '$lib/core/entry/state';
  import { wireForm, type WiredForm } from '$lib/core/wiring/form';
  import FormBody from '$lib/ui/filling/FormBody.svelte';
  import { Asking } from '$lib/ui/filling/asking.svelte';
  import { EntrySession } from '$lib/ui/filling/session.svelte';

  interface Props {
    formKey: string;
    /** The draft as it is now, wired. */
    form: WiredForm;
    tables: House;
    /** The revision under which the server holds a plan, as soon as it does. */
    revisionOf: (plan: Plan) => Promise<number | null>;
    lit: string | null;
    /** The signed-in person. */
    person: PersonFacts;
    onhover: (field: string | null) => void;
    /** Gives the session to whoever wants to say what the live form knows. */
    onsession: (session: EntrySession) => void;
    /** Asks for what stands in the form to be kept as a rehearsal. */
    onkeep: () => void;
  }
  let { formKey, form, tables, revisionOf, lit, person, onhover, onsession, onkeep }: Props =
    $props();

  /** The questions that the form asks under the values that stand in it. */
  let asking = $state.raw(untrack(() => new Asking(form.plan, `/api/forms/${formKey}`)));
  let session = $state.raw(untrack(() => begin(null)));

  /**
   * The form on the plan as it is now, with the values that were there and still fit, lines included. What it asks
   * is asked when the server holds that plan, too; nothing else waits for it.
   */
  function begin(before: EntryState | null): EntrySession {
    const { plan } = form;
    const around = { person };
    const asked = asking.any ? wireForm(asking.asked(), tables) : form;
    const beginning: Beginning = before
      ? { ...newBeginning(fittingState(asked, before)), takesOnly: true, around }
      : { mode: 'new', around };
    const source = { draft: () => revisionOf(plan), ...asking.hashes() };
    return new EntrySession(formKey, source, asked, tables, beginning);
  }

  function renew(before: EntryState | null) {
    session.close();
    session = begin(before);
    onsession(session);
    void session.reads.pump();
  }

  /** Asks what the values in the form ask for now. */
  async function follow() {
    if (!asking.any) return;
    const draft = await revisionOf(form.plan);
    const others = draft === null ? null : await asking.follow(session.entry, { draft });
    if (!others) return;
    asking.sets = others.sets;
    renew(session.entry.state());
  }

  $effect(() => {
    void form;
    untrack(() => {
      asking = asking.on(form.plan);
      renew(session.entry.state());
    });
  });
  $effect(() => {
    void [session.edits, form];
    untrack(() => void follow());
  });
  onDestroy(() => session.close());

  const cycle = $derived(session.form.cycle?.join(' → ') ?? null);
  const trace = $derived(
    session.entry.trace.slice(-40).map((event, i) => ({
      i,
      event,
      ...traceWords(event, session.words.names),
    })),
  );

  function toEnd(node: HTMLElement) {
    $effect(() => {
      void trace.length;
      node.scrollTop = node.scrollHeight;
    });
  }

  /** So many rows that cannot be asked are told. */
  const mostFaults = 20;

  let said = $state('');

  /** Tries a button: what it sets and reads is seen, what it would write or tell is left out. */
  async function tryButton(button: WiredButton) {
    const none = async () => [];
    const done = await press(button, { session, save: null, tell: none, open: () => {} });
    said = done.problems[0]?.message ?? done.told;
  }
</script>

<section class="flex h-full min-h-0 flex-col" aria-label="Live form">
  <div class="flex items-center justify-between px-4.5 pt-3 pb-1">
    <span class="tag">Live · real data, nothing is written</span>
    <span class="flex gap-4">
      {#if !form.plan.through}
        <Button kind="link" onclick={onkeep}>Keep as a rehearsal</Button>
      {/if}
      <Button kind="link" onclick={() => renew(null)}>Start over</Button>
    </span>
  </div>
  <div class="min-h-0 flex-1 overflow-auto px-4.5 pb-3">
    {#if cycle}
      <p class="text-crimson" role="alert">
        These fields depend on one another in a circle: {cycle}.
      </p>
    {/if}
    {#key session}
      <FormBody {session} prefix="live" mostColumns={2} {lit} {onhover} />
      {#if asking.faults.length > 0}
        <section class="border-line border-t pt-2" aria-label="Rows that cannot be asked">
          <p class="text-crimson mt-0 mb-1">
            {plural(asking.faults.length, ['# row cannot be asked.', '# rows cannot be asked.'])}
          </p>
          <ul class="m-0 grid list-none gap-1 p-0">
            {#each asking.faults.slice(0, mostFaults) as { row, text, problem } (row)}
              <li>
                <b>{text || say('A row without a text')}</b>: {problem.message}
                <span class="quiet">{problem.hint}</span>
              </li>
            {/each}
          </ul>
        </section>
      {/if}
      {#if session.form.buttons.length > 0}
        <div class="flex flex-wrap items-center gap-2">
          {#each offeredButtons(session) as button (button.key)}
            <Button kind="other" onclick={() => tryButton(button)}>{button.label}</Button>
          {/each}
          <span class="quiet" role="status">{said}</span>
        </div>
      {/if}
    {/key}
  </div>
  <div class="border-line bg-sheet h-40 shrink-0 border-t px-4.5 py-2">
    <div class="flex justify-between">
      <span class="tag">Trace</span>
      {#if session.reads.away}<span class="text-crimson">The server is not responding.</span>{/if}
    </div>
    <ol class="h-30 overflow-auto text-[13px]" {@attach toEnd}>
      {#each trace as { i, event, subject, said } (i)}
        <li class="flex justify-between gap-3">
          <span>
            {event.cause === null && event.kind === 'set' ? '' : '→ '}<b>{subject}</b>
            {said}
          </span>
          <span class="text-soft shrink-0">
            {event.kind === 'set' ? say('you') : event.took === undefined ? '' : `${event.took} ms`}
          </span>
        </li>
      {:else}
        <li class="text-soft">Choose something, and the trace shows what follows from it.</li>
      {/each}
    </ol>
  </div>
</section>
