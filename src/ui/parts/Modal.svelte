<script lang="ts">
  import { Modal, type ModalProps } from 'flowbite-svelte';

  let { open = $bindable(false), class: given, children, ...rest }: ModalProps = $props();
</script>

<Modal
  aria-label={rest.title}
  {...rest}
  bind:open
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
</Modal>
