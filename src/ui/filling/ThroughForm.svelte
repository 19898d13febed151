<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Input, Ledger } from '$lib/ui/parts';
  import { goto } from '$app/navigation';
  import { onMount, tick, untrack } from 'svelte';
  import { goTo } from '$lib/ui/shared/focus';
  import { formatValue } from '$lib/core/values/format';
  import type { Value } from '$lib/core/values/types';
  import type { WiredButton } from '$lib/core/wiring/buttons';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import InviteGuest from '$lib/ui/access/InviteGuest.svelte';
  import { offeredButtons, press, tellButton } from './buttons';
  import FormBody from './FormBody.svelte';
  import type { EntrySession } from './session.svelte';
  import { Passing, type ThroughGiven } from './through.svelte';

  interface Props {
    given: ThroughGiven;
    /** The key with which the address opens it; empty where it is to be typed. */
    opensWith: string;
    /** Whether it can be opened with no other key. */
    fixed?: boolean;
  }
  let { given, opensWith, fixed = false }: Props = $props();

  const passing = new Passing(untrack(() => given));
  let typed = $state(untrack(() => opensWith));
  const through = untrack(() => given.plan.through);
  const query = untrack(() => given.tables.queries.get(through.query));
  const parameter = query?.parameters.find(({ key }) => key === through.key);

  onMount(() => {
    if (opensWith !== '') void passing.open(opensWith);
    return () => passing.close();
  });

  function open(event: SubmitEvent) {
    event.preventDefault();
    if (typed.trim() !== '') void passing.open(typed.trim());
  }

  async function write() {
    const path = await passing.write();
    await tick();
    if (path) goTo(path);
  }

  let said = $state('');

  /** A button of the form's own: its steps, one after the other; to save is to write back. */
  async function pressed(session: EntrySession, button: WiredButton) {
    said = '';
    const at = `/api/forms/${given.formKey}`;
    const done = await press(button, {
      session,
      save: async () => {
        await write();
        return passing.problems.length === 0 && passing.changed.length === 0;
      },
      tell: (key) => tellButton(session, at, { edition: given.edition }, key),
      open: (address) => void goto(address),
    });
    said = done.told;
    passing.problems = [...passing.problems, ...done.problems];
  }

  function onkeydown(event: KeyboardEvent) {
    if (!event.ctrlKey || event.key !== 'Enter' || !through.write) return;
    event.preventDefault();
    void write();
  }

  /** A guest is given none, as on the other forms. */
  const buttons = $derived(passing.session && !given.at ? offeredButtons(passing.session) : []);

  const label = (field: string) => passing.form.fields.get(field)?.field.label ?? field;

  function shown(field: string, value: Value): string {
    const type = passing.form.fields.get(field)?.type;
    return type ? formatValue(type, value, reader()) : String(value ?? '–');
  }
</script>

<svelte:window {onkeydown} />

<div class="flex h-full flex-col">
  <div class="min-h-0 flex-1 overflow-auto">
    <div class="mx-auto max-w-[900px] p-5">
      <div class="mb-3 flex flex-wrap items-baseline gap-3">
        <h1>{given.plan.title}</h1>
        <span class="quiet">
          shows a record of an outside system; nothing is stored here · edition {given.edition}
        </span>
      </div>
      {#if !fixed}<form class="mb-4 flex items-end gap-3" onsubmit={open}>
          <label class="grid gap-1 font-semibold">
            {parameter?.label ?? say('Key')}
            <Input
              class="w-56! font-normal"
              autofocus={opensWith === ''}
              autocomplete="off"
              bind:value={typed}
            />
          </label>
          <Button type="submit" kind="other" loading={passing.busy} disabled={typed.trim() === ''}>
            {passing.record ? say('Read again') : say('Open it')}
          </Button>
          {#if passing.record}
            <span class="ms-auto"
              ><InviteGuest
                forms={[{ key: given.formKey, title: given.plan.title }]}
                through={passing.record.key}
              /></span
            >
          {/if}
        </form>{/if}
      <div class="mb-3 grid gap-2 empty:hidden">
        {#if passing.told}
          <div class="border-moss bg-sheet rounded border px-3 py-2" role="status">
            {passing.told}
          </div>
        {/if}
        <Problems problems={passing.problems} />
        {#if passing.conflicts.length > 0}
          <section
            class="border-marigold bg-sheet rounded border px-4 py-3"
            aria-label="Changed meanwhile"
          >
            <h2>Someone else has changed it in the meantime</h2>
            <p class="quiet mb-2">
              You both changed these fields. Choose which version to keep; nothing is written yet.
            </p>
            <Ledger class="border-line border">
              <thead
                ><tr><th>What</th><th>It was</th><th>You</th><th>They</th><th>Take</th></tr></thead
              >
              <tbody>
                {#each passing.conflicts as conflict (conflict.field)}
                  <tr>
                    <td>{label(conflict.field)}</td>
                    <td>{shown(conflict.field, conflict.base)}</td>
                    <td>{shown(conflict.field, conflict.yours)}</td>
                    <td>{shown(conflict.field, conflict.theirs)}</td>
                    <td class="whitespace-nowrap">
                      <Button kind="link" onclick={() => passing.keepMine(conflict)}>mine</Button>
                      <Button kind="link" class="ms-3" onclick={() => passing.takeTheirs(conflict)}
                        >theirs</Button
                      >
                    </td>
                  </tr>
                {/each}
              </tbody>
            </Ledger>
          </section>
        {/if}
      </div>
      {#if passing.session}
        {#key passing.session}<FormBody session={passing.session} />{/key}
      {:else if passing.problems.length === 0}
        <p class="quiet">
          Type the {(parameter?.label ?? 'key').toLowerCase()}: the current record is loaded.
        </p>
      {/if}
    </div>
  </div>
  {#if passing.session && (through.write || buttons.length > 0)}
    {@const session = passing.session}
    <div class="foot bg-sheet h-14 shrink-0">
      {#if through.write}
        <Button
          onclick={write}
          loading={passing.busy}
          disabled={passing.changed.length === 0 || passing.conflicts.length > 0}
        >
          Write back <span class="ms-2 font-normal opacity-70">Ctrl ↵</span>
        </Button>
      {/if}
      {#each buttons as button (button.key)}
        <Button
          kind="other"
          loading={passing.busy}
          disabled={passing.conflicts.length > 0}
          onclick={() => pressed(session, button)}>{button.label}</Button
        >
      {/each}
      <span class="quiet" role="status">
        {said}
        {#if through.write}
          {passing.changed.length === 0
            ? say('No changes yet.')
            : say(`Changed: ${passing.changed.map(label).join(', ')}`)}
        {/if}
      </span>
    </div>
  {/if}
</div>
