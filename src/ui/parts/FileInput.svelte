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
  class={['h-8 rounded border-edge bg-sheet text-[13px] text-ink', given]}
/>
