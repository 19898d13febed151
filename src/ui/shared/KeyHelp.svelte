<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Modal } from '$lib/ui/parts';

  let open = $state(false);

  const groups = [
    {
      title: say('Everywhere'),
      keys: [
        ['Ctrl K', say('go to a form, table or page')],
        ['?', say('this list')],
        ['Esc', say('close (nothing you typed is lost)')],
      ],
    },
    {
      title: say('While filling in'),
      keys: [
        ['Ctrl Enter', say('save the record')],
        ['Alt N', say('the next problem')],
        ['↓', say('open a list; ↑ ↓ and Enter choose')],
        ['Alt P', say('browse the list as a table')],
        ['Alt A', say('add a record to the list')],
        ['Alt Enter', say('open the line in a panel')],
      ],
    },
    {
      title: say('In a grid of lines'),
      keys: [
        ['Shift ↑ ↓ ← →', say('choose several cells')],
        ['Ctrl Shift D', say('give them what the first one has')],
        ['Ctrl D', say('copy a line')],
        ['Ctrl Delete', say('remove the line, or those chosen')],
        ['Ctrl Z', say('put removed lines back')],
        ['Alt ↑, Alt ↓', say('move a line')],
      ],
    },
    {
      title: say('While designing'),
      keys: [
        ['↑ ↓ ← →', say('from cell to cell')],
        ['Enter, F2', say('edit a cell')],
        ['Alt ↑, Alt ↓', say('move a line')],
        ['Ctrl D', say('copy a line')],
        ['Del', say('remove a line')],
        ['Ctrl Z, Ctrl Shift Z', say('undo, redo')],
        ['Ctrl S', say('publish')],
        ['Ctrl Alt E', say('compare editions')],
        ['Shift ↑, Shift ↓', say('choose several lines')],
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
