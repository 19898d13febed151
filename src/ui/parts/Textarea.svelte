<script lang="ts" generics="V extends string | null | undefined">
  import { Textarea } from 'flowbite-svelte';
  import type { HTMLTextareaAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLTextareaAttributes, 'value'> {
    value?: V;
    element?: HTMLTextAreaElement | undefined;
  }
  let { value = $bindable(), element = $bindable(), class: given, ...rest }: Props = $props();
</script>

<Textarea
  {...rest as object}
  bind:value={value as string}
  bind:elementRef={element}
  class={[
    'control w-full rounded border-edge bg-sheet px-[9px] py-1 text-[14px] text-ink aria-invalid:border-crimson disabled:bg-paper disabled:text-soft disabled:opacity-100',
    given,
  ]}
/>
