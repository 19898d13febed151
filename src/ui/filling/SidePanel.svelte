<script lang="ts">
  import { Drawer } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import { tableChoices } from '$lib/core/plan/schema';
  import AddNew from './AddNew.svelte';
  import LinePanel from './LinePanel.svelte';
  import Picker from './Picker.svelte';
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
    if (panel?.kind === 'line') return session.rowWords(panel.row);
    if (panel?.kind === 'pick') return wired?.field.label ?? '';
    return table ? `Add to ${table.title}` : '';
  });
  const stands = $derived(panel?.kind === 'line' || (wired && choices && table));

  /** Gives the cursor back to the place from which the panel was opened. */
  async function close(closed: Panel) {
    session.closePanel();
    await tick();
    // The dialog lets go of the focus only when it is gone.
    await new Promise((resolve) => setTimeout(resolve, 160));
    if (closed.kind === 'line') {
      session.wanted = session.path('', closed.row);
      return;
    }
    const place = `[data-field="${session.path(closed.key, closed.row)}"]`;
    const control = document.querySelector<HTMLElement>(`${place} .control`);
    (control ?? document.querySelector<HTMLElement>(place))?.focus();
  }
</script>

{#if panel && stands}
  {#key panel}
    <Drawer
      open
      placement="right"
      aria-label={title}
      class="border-line bg-sheet w-[720px]! max-w-full border-l p-0!"
      transitionParams={{ duration: 120 }}
      dismissable={false}
      onclose={() => session.panel === panel && void close(panel)}
    >
      <!-- svelte-ignore a11y_no_static_element_interactions -->
      <div
        class="flex h-full flex-col"
        onkeydown={(event) => {
          event.stopPropagation();
          if (event.key !== 'Escape' || event.defaultPrevented) return;
          event.preventDefault();
          void close(panel);
        }}
      >
        <div class="border-line flex items-baseline gap-3 border-b px-5 py-3">
          <h2>{title}</h2>
          {#if panel.kind === 'pick'}<span class="quiet">from {table?.title}</span>{/if}
          <button type="button" class="textlink ms-auto" onclick={() => close(panel)}>
            Close <kbd>Esc</kbd>
          </button>
        </div>
        {#if panel.kind === 'line'}
          <LinePanel {session} row={panel.row} onclose={() => close(panel)} />
        {:else if wired && choices && table}
          {#if panel.kind === 'pick'}
            <Picker {session} {panel} {wired} {choices} {table} onclose={() => close(panel)} />
          {:else}
            <AddNew {session} {panel} {wired} {choices} {table} onclose={() => close(panel)} />
          {/if}
        {/if}
      </div>
    </Drawer>
  {/key}
{/if}
