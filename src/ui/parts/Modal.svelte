<script lang="ts">
  import { untrack } from 'svelte';
  import { Modal, type ModalProps } from 'flowbite-svelte';
  import Button from './Button.svelte';

  interface Props extends Omit<ModalProps, 'onclose'> {
    /** Whether who closes it is asked first where something was typed into it. */
    asks?: boolean;
    /**
     * Called as soon as it is closed from within. Not when the element is gone, a moment later: by then another
     * dialog may be open in its place.
     */
    onclose?: () => void;
  }
  let {
    open = $bindable(false),
    asks = true,
    class: given,
    oncancel,
    onclose,
    children,
    ...rest
  }: Props = $props();

  /** The controls that hold what was typed and not sent off since. */
  let typed: readonly HTMLElement[] = [];
  let asking = $state(false);
  let wasOpen = false;
  $effect(() => {
    if (!open) [typed, asking] = [[], false];
    if (wasOpen && !open) untrack(() => onclose?.());
    wasOpen = open === true;
  });

  const texts =
    'textarea, [contenteditable], input:not([type=search], [type=checkbox], [type=radio])';

  function oninput({ target }: Event) {
    if (target instanceof HTMLElement && target.matches(texts)) typed = [...typed, target];
  }

  /** Escape, the cross, or a click beside it: the first one asks, the second one closes. */
  function leaving(event: Parameters<NonNullable<ModalProps['oncancel']>>[0]) {
    oncancel?.(event);
    if (event.defaultPrevented || !asks || asking) return;
    // What is not there any more was taken.
    if (!typed.some(({ isConnected }) => isConnected)) return;
    if (event.target !== event.currentTarget) return;
    event.preventDefault();
    asking = true;
  }
</script>

<Modal
  aria-label={rest.title}
  {...rest}
  bind:open
  oncancel={leaving}
  {oninput}
  onsubmit={() => (typed = [])}
  class={[
    'rounded-md border border-line bg-sheet text-start font-normal whitespace-normal text-ink shadow-lg',
    given,
  ]}
  classes={{
    header: 'border-line p-4 font-serif text-[16px] text-ink',
    body: 'p-4 text-ink',
    footer: 'p-4',
  }}
>
  {@render children?.()}
  {#if asking}
    <div class="border-line flex flex-wrap items-center gap-3 border-t pt-3">
      <span role="alert">What you typed here will be lost.</span>
      <span class="ms-auto flex gap-3">
        <Button kind="other" onclick={() => (open = false)}>Close anyway</Button>
        <Button kind="other" onclick={() => (asking = false)}>Keep editing</Button>
      </span>
    </div>
  {/if}
</Modal>
