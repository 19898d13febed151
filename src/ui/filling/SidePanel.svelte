<script lang="ts">
  import { Drawer } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import { tableChoices } from '$lib/core/plan/schema';
  import AddNew from './AddNew.svelte';
  import Picker from './Picker.svelte';
  import type { EntrySession, Panel } from './session.svelte';

  interface Props {
    session: EntrySession;
  }
  let { session }: Props = $props();

  const panel = $derived(session.panel);
  const wired = $derived(panel && session.wired(panel.key, panel.row));
  const choices = $derived(wired && tableChoices(wired.field));
  const table = $derived(choices ? session.tables.get(choices.table) : undefined);

  /** Gives the cursor back to the field from which the panel was opened. */
  async function close({ key, row }: Panel) {
    session.panel = null;
    await tick();
    // The dialog lets go of the focus only when it is gone.
    await new Promise((resolve) => setTimeout(resolve, 160));
    const place = `[data-field="${session.path(key, row)}"]`;
    const control = document.querySelector<HTMLElement>(`${place} .control`);
    (control ?? document.querySelector<HTMLElement>(place))?.focus();
  }
</script>

{#if panel && wired && choices && table}
  {@const title = panel.kind === 'pick' ? wired.field.label : `Add to ${table.title}`}
  <Drawer
    open
    placement="right"
    aria-label={title}
    class="border-line bg-sheet w-[680px]! max-w-full border-l p-0!"
    transitionParams={{ duration: 120 }}
    dismissable={false}
    onclose={() => panel && session.panel === panel && void close(panel)}
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
        {#if panel.kind === 'pick'}<span class="quiet">from {table.title}</span>{/if}
        <button type="button" class="textlink ms-auto" onclick={() => close(panel)}>
          Close <kbd>Esc</kbd>
        </button>
      </div>
      {#if panel.kind === 'pick'}
        <Picker {session} {panel} {wired} {choices} {table} onclose={() => close(panel)} />
      {:else}
        <AddNew {session} {panel} {wired} {choices} {table} onclose={() => close(panel)} />
      {/if}
    </div>
  </Drawer>
{/if}
