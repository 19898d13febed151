<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button, Drawer } from '$lib/ui/parts';
  import { tableChoices } from '$lib/core/plan/choices';
  import { goTo } from '$lib/ui/shared/focus';
  import { settlePending } from '$lib/ui/shared/pending';
  import LinePanel from './LinePanel.svelte';
  import type { EntrySession, Panel } from './session.svelte';

  interface Props {
    session: EntrySession;
  }
  let { session }: Props = $props();

  const panel = $derived(session.panel);
  const field = $derived(panel && panel.kind !== 'line' ? panel : null);
  const wired = $derived(field && session.wired(field.key, field.row));
  const choices = $derived(wired && tableChoices(wired.field));
  const table = $derived(choices ? session.tables.get(choices.table) : undefined);
  const title = $derived.by(() => {
    if (panel?.kind === 'line') return session.words.row(panel.row);
    if (panel?.kind === 'pick') return wired?.field.label ?? '';
    return table ? say(`Add to ${table.title}`) : '';
  });
  const stands = $derived(panel?.kind === 'line' || (wired && choices && table));

  /** Gives the cursor back to the place from which the panel was opened. */
  async function close(closed: Panel) {
    // What stands in a control of the panel is made a value before it goes.
    await settlePending();
    if (session.panel !== closed) return;
    session.closePanel();
    // The dialog lets go of the cursor only when it is gone; it is taken where it is wanted then.
    goTo(
      closed.kind === 'line' ? session.path('', closed.row) : session.path(closed.key, closed.row),
    );
  }
</script>

{#each panel && stands ? [panel] : [] as open (open)}
  <Drawer
    open
    placement="right"
    aria-label={title}
    class="border-line bg-sheet w-[720px]! max-w-full border-l p-0!"
    transitionParams={{ duration: 120 }}
    dismissable={false}
    onclose={() => session.panel === open && void close(open)}
  >
    <!-- svelte-ignore a11y_no_static_element_interactions -->
    <div
      class="flex h-full flex-col"
      onkeydown={(event) => {
        event.stopPropagation();
        if (event.key !== 'Escape' || event.defaultPrevented) return;
        event.preventDefault();
        void close(open);
      }}
    >
      {#if open.kind === 'line'}
        <LinePanel {session} row={open.row} onclose={() => close(open)} />
      {:else if wired && choices && table}
        {@const shared = { session, panel: open, wired, choices, table }}
        {#if open.kind === 'pick'}
          {#await import('./Picker.svelte') then { default: Picker }}
            <Picker {...shared} onclose={() => close(open)} />
          {/await}
        {:else}
          {#await import('./AddNew.svelte') then { default: AddNew }}
            <AddNew {...shared} onclose={() => close(open)} />
          {/await}
        {/if}
      {/if}
      <!-- Behind what it is about, so that the cursor does not begin on closing it. -->
      <div class="border-line order-first flex items-baseline gap-3 border-b px-5 py-3">
        <h2>{title}</h2>
        {#if open.kind === 'pick'}<span class="quiet">from {table?.title}</span>{/if}
        <Button kind="link" class="ms-auto" onclick={() => close(open)}>
          Close <kbd>Esc</kbd>
        </Button>
      </div>
    </div>
  </Drawer>
{/each}
