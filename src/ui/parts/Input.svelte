<script lang="ts" generics="V extends string | number | null | undefined">
  import { Input } from 'flowbite-svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLInputAttributes, 'size' | 'value'> {
    value?: V;
    element?: HTMLInputElement | undefined;
  }
  let { value = $bindable(), element = $bindable(), class: given, ...rest }: Props = $props();
</script>

<Input
  {...rest as object}
  bind:value={value as string}
  bind:elementRef={element}
  class={[
    'control h-8 rounded! border-edge bg-sheet px-[9px] py-1 text-[14px] text-ink aria-invalid:border-crimson read-only:aria-disabled:bg-paper read-only:aria-disabled:text-soft disabled:bg-paper disabled:text-soft disabled:opacity-100',
    given,
  ]}
/>
