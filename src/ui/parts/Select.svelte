<script lang="ts" generics="T">
  import { Select } from 'flowbite-svelte';
  import type { HTMLSelectAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLSelectAttributes, 'size' | 'value'> {
    value?: T;
    element?: HTMLSelectElement | undefined;
  }
  let {
    value = $bindable(),
    element = $bindable(),
    class: given,
    children,
    ...rest
  }: Props = $props();
</script>

<Select
  {...rest as object}
  bind:value
  bind:elementRef={element}
  placeholder=""
  class={['w-full rounded', given]}
  classes={{
    select:
      'control h-8 rounded border-edge bg-sheet ps-[9px] pe-7 py-1 text-[14px] text-ink aria-invalid:border-crimson disabled:bg-paper disabled:text-soft disabled:opacity-100',
  }}
>
  {@render children?.()}
</Select>
