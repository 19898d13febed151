<script lang="ts">
  import { Table } from 'flowbite-svelte';
  import type { HTMLTableAttributes } from 'svelte/elements';
  import { attached } from './attached';

  interface Props extends Omit<HTMLTableAttributes, 'border'> {
    element?: HTMLElement | undefined;
    /** Whether it scrolls by itself where it is too wide; what stands around it does otherwise. */
    scrolls?: boolean;
  }
  /** A table of lines between thin rules; its own columns and cells stand in it. */
  let { class: given, element = $bindable(), scrolls = true, children, ...rest }: Props = $props();
</script>

<Table
  {...rest as object}
  border={false}
  class={['ledger text-ink', given]}
  classes={{ div: scrolls ? 'relative overflow-x-auto' : 'static overflow-visible' }}
  {@attach attached((node) => (element = node))}
>
  {@render children?.()}
</Table>
