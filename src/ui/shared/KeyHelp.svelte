<script lang="ts">
  import { Modal } from '$lib/ui/parts';

  let open = $state(false);

  const groups = [
    {
      title: 'Everywhere',
      keys: [
        ['Ctrl K', 'go to a form, table or page'],
        ['?', 'this list'],
        ['Esc', 'close (nothing you typed is lost)'],
      ],
    },
    {
      title: 'While filling in',
      keys: [
        ['Ctrl Enter', 'save the record'],
        ['Alt N', 'the next problem'],
        ['↓', 'open a list; ↑ ↓ and Enter choose'],
        ['Alt P', 'browse the list as a table'],
        ['Alt A', 'add a record to the list'],
        ['Alt Enter', 'open the line in a panel'],
      ],
    },
    {
      title: 'While designing',
      keys: [
        ['↑ ↓ ← →', 'from cell to cell'],
        ['Enter, F2', 'edit a cell'],
        ['Alt ↑, Alt ↓', 'move a line'],
        ['Ctrl D', 'copy a line'],
        ['Del', 'remove a line'],
        ['Ctrl Z, Ctrl Shift Z', 'undo, redo'],
        ['Ctrl S', 'publish'],
        ['Ctrl Alt E', 'compare editions'],
        ['Shift ↑, Shift ↓', 'choose several lines'],
      ],
    },
  ] as const;

  function onkeydown(event: KeyboardEvent) {
    const { target } = event;
    const typing =
      target instanceof HTMLElement && target.closest('input, textarea, select, [contenteditable]');
    if (event.key !== '?' || typing || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    open = true;
  }
</script>

<svelte:window {onkeydown} />

<Modal bind:open size="md" title="Keys">
  <div class="grid gap-4">
    {#each groups as { title, keys } (title)}
      <section>
        <h2 class="mb-1">{title}</h2>
        <dl class="grid grid-cols-[170px_1fr] gap-y-1">
          {#each keys as [key, does] (key)}
            <dt><kbd>{key}</kbd></dt>
            <dd>{does}</dd>
          {/each}
        </dl>
      </section>
    {/each}
  </div>
</Modal>
