<script lang="ts">
  import type { RehearsalAnswer } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { longestRehearsalName, type Strictness } from '$lib/core/rehearsal/rehearsal';
  import type { House } from '$lib/core/table/definition';
  import { formatValue } from '$lib/core/values/format';
  import { rehearsedForm } from '$lib/core/rehearsal/run';
  import type { WiredForm } from '$lib/core/wiring/form';
  import { reader } from '$lib/core/words/reader';
  import { plural, say } from '$lib/core/words/say';
  import { Button, Input, Ledger, Modal } from '$lib/ui/parts';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import RecordPicked from '$lib/ui/shared/RecordPicked.svelte';
  import { RehearsalWords } from './rehearsal-words';
  import RehearsalLines from './RehearsalLines.svelte';
  import type { Rehearsing } from './rehearsing.svelte';

  interface Props {
    open: boolean;
    rehearsing: Rehearsing;
    /** The draft as it is now; `null` while it cannot be wired. */
    form: WiredForm | null;
    tables: House;
  }
  /** The rehearsals of a form, what came of each on the draft, and what can be done about it. */
  let { open = $bindable(), rehearsing, form, tables }: Props = $props();

  const id = $props.id();
  /** The rehearsal that is looked at. */
  let chosen = $state<number | null>(null);
  let taking = $state(false);
  let name = $state('');
  let record = $state<number | null>(null);
  let shown = $state('');
  let problems = $state.raw<Problem[]>([]);
  const looked = $derived(rehearsing.kept.find((one) => one.id === chosen) ?? null);
  let renaming = $derived(looked?.name ?? '');
  const outcome = $derived(looked && (rehearsing.outcomes[looked.id] ?? null));
  const words = $derived(
    looked &&
      form &&
      new RehearsalWords(rehearsedForm(form, looked.rehearsal), tables, looked.rehearsal),
  );

  $effect(() => {
    if (!open) return;
    problems = [];
    taking = false;
    chosen ??= rehearsing.failing[0]?.id ?? null;
  });

  function look(one: RehearsalAnswer) {
    chosen = chosen === one.id ? null : one.id;
  }

  function toldOf({ id: of }: RehearsalAnswer): { said: string; tone: string } {
    const found = rehearsing.outcomes[of];
    if (!found) return { said: rehearsing.playing ? say('is being played') : '', tone: 'quiet' };
    if (found.holds) {
      const now = found.answers === 'now';
      return { said: now ? say('holds on today’s data') : say('holds'), tone: 'text-moss' };
    }
    const many = found.lines.filter(({ fits }) => !fits).length + found.lost.length;
    return {
      said: plural(many, ['# thing came otherwise', '# things came otherwise']),
      tone: 'text-crimson',
    };
  }

  async function rename(one: RehearsalAnswer) {
    const to = renaming.trim();
    if (to === '' || to === one.name) return;
    await rehearsing.change(one, { name: to });
  }

  async function keepRecord(event: SubmitEvent) {
    event.preventDefault();
    if (record === null) return;
    problems = await rehearsing.keepRecord(name.trim(), record);
    if (problems.length > 0) return;
    taking = false;
    [name, record, shown] = ['', null, ''];
  }

  /** One key takes what comes as what is expected. */
  function onkeydown(event: KeyboardEvent) {
    const typing = (event.target as HTMLElement).closest('input, textarea, select');
    if (typing || event.key.toLowerCase() !== 'a' || event.ctrlKey || event.metaKey) return;
    if (!looked || outcome?.holds !== false) return;
    event.preventDefault();
    void rehearsing.accept(looked);
  }
</script>

<Modal bind:open size="xl" title="Rehearsals">
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div class="grid gap-3" {onkeydown}>
    <Problems problems={[...problems, ...rehearsing.problems]} />
    {#if rehearsing.kept.length === 0}
      <p class="text-soft m-0">
        A rehearsal is a filling that is kept with what should come of it. Fill in the live form and
        keep it there, or take a stored record. It is played again after each change of the draft
        and before each publish, so that a change that breaks something is seen at once.
      </p>
    {:else}
      <Ledger>
        <thead>
          <tr><th>Rehearsal</th><th>On the draft</th><th>Kept by</th></tr>
        </thead>
        <tbody>
          {#each rehearsing.kept as one (one.id)}
            {@const { said, tone } = toldOf(one)}
            <tr class={chosen === one.id ? 'font-semibold' : ''}>
              <td>
                <Button kind="link" aria-expanded={chosen === one.id} onclick={() => look(one)}>
                  {one.name}
                </Button>
              </td>
              <td class={tone}>{said}</td>
              <td class="quiet">
                {one.by}, {formatValue({ kind: 'date_time' }, one.at, reader())}
              </td>
            </tr>
          {/each}
        </tbody>
      </Ledger>
    {/if}
    {#if looked}
      <section class="border-line grid gap-3 border-t pt-3" aria-label={looked.name}>
        <div class="flex flex-wrap items-center gap-2">
          <div class="w-72">
            <Input
              aria-label="Name"
              maxlength={longestRehearsalName}
              bind:value={renaming}
              onblur={() => rename(looked)}
            />
          </div>
          {#if outcome && !outcome.holds}
            <Button onclick={() => rehearsing.accept(looked)}>Accept what comes now</Button>
          {/if}
          <Button kind="other" onclick={() => rehearsing.playNow(looked)}>
            Play on today’s data
          </Button>
          <Button kind="other" class="ms-auto" onclick={() => rehearsing.remove(looked)}>
            Take out
          </Button>
        </div>
        {#if !form}
          <p class="text-soft m-0">It is played again once the draft has no more problems.</p>
        {:else if outcome && words}
          {#if outcome.unheard > 0}
            <p class="quiet m-0">
              {plural(outcome.unheard, [
                'The draft asks # thing that was not asked when it was recorded; it was asked anew.',
                'The draft asks # things that were not asked when it was recorded; they were asked anew.',
              ])}
            </p>
          {/if}
          {#if outcome.answers === 'now'}
            <p class="quiet m-0">Played on today’s data, with the day of the recording.</p>
          {/if}
          <div class="max-h-100 overflow-auto">
            <RehearsalLines
              kept={looked}
              {outcome}
              {words}
              onloosen={(hows: Strictness[]) => rehearsing.change(looked, { hows })}
            />
          </div>
        {/if}
      </section>
    {/if}
    <div class="border-line border-t pt-3">
      {#if taking}
        <form class="grid gap-2" onsubmit={keepRecord}>
          <div class="flex flex-wrap items-end gap-2">
            <div class="w-72">
              <RecordPicked table={form?.plan.table ?? ''} bind:record bind:shown />
            </div>
            <div class="w-72">
              <label class="tag" for="{id}-name">Name</label>
              <Input id="{id}-name" bind:value={name} maxlength={longestRehearsalName} required />
            </div>
            <Button type="submit" disabled={record === null || name.trim() === ''}>Keep it</Button>
          </div>
        </form>
      {:else if form && !form.plan.through}
        <Button kind="link" onclick={() => (taking = true)}
          >Keep a stored record as a rehearsal</Button
        >
      {/if}
    </div>
  </div>
</Modal>
