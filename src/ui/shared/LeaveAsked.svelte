<script lang="ts">
  import { beforeNavigate, goto } from '$app/navigation';
  import { Button, Modal } from '$lib/ui/parts';
  import { anyUnsaved, giveUpUnsaved } from './unsaved';

  /** Where somebody was going when they were asked. */
  let going = $state<string | null>(null);

  beforeNavigate((navigation) => {
    if (!anyUnsaved()) return;
    navigation.cancel();
    // A tab that is closed is asked by the browser itself.
    if (!navigation.willUnload && navigation.to) going = navigation.to.url.href;
  });

  async function leave() {
    const to = going;
    going = null;
    giveUpUnsaved();
    if (to !== null) await goto(to);
  }
</script>

{#if going !== null}
  <Modal open size="xs" title="Leave without saving?" onclose={() => (going = null)}>
    <p>What you changed on this page is not saved yet.</p>
    <div class="flex gap-3">
      <Button onclick={() => (going = null)}>Stay here</Button>
      <Button kind="other" onclick={leave}>Leave without saving</Button>
    </div>
  </Modal>
{/if}
