<script lang="ts">
  import { Fileupload } from 'flowbite-svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLInputAttributes, 'size' | 'type'> {
    element?: HTMLInputElement | undefined;
  }
  let { class: given, element = $bindable(), ...rest }: Props = $props();
</script>

<Fileupload
  {...rest as object}
  bind:elementRef={element}
  class={[
    'h-8 rounded border-edge bg-sheet text-[13px] leading-8 text-ink file:me-3 file:h-full file:cursor-pointer file:border-0 file:border-e file:border-edge file:bg-paper file:px-3 file:font-semibold file:text-ink',
    given,
  ]}
/>
