<script lang="ts">
  import { Button, Modal } from '$lib/ui/parts';

  /** Two dialogs of which one is open at a time, each in a branch of its own. */
  let asking = $state<'change' | 'delete' | null>(null);

  /** Closes one, and opens the other before the first one is gone. */
  export function swap(): void {
    asking = null;
    setTimeout(() => (asking = 'change'), 20);
  }
</script>

<Button onclick={() => (asking = 'delete')}>Delete them</Button>
{#if asking === 'change'}
  <Modal open title="Change" onclose={() => (asking = null)}>What becomes of them</Modal>
{:else if asking === 'delete'}
  <Modal open title="Delete" onclose={() => (asking = null)}>They will be gone</Modal>
{/if}
