<script lang="ts">
  import { Checkbox } from 'flowbite-svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLInputAttributes, 'value' | 'type' | 'color'> {
    checked?: boolean | null | undefined;
  }
  /** A tick box; what it means stands in the label around it, in its children, or in `aria-label`. */
  let { checked = $bindable(false), class: given, children, ...rest }: Props = $props();
</script>

<Checkbox
  {...rest as object}
  bind:checked={checked as boolean}
  class={['me-0 h-4 w-4 shrink-0 rounded-sm border-edge bg-sheet disabled:opacity-55', given]}
  classes={{ div: 'gap-2 font-normal text-ink' }}
  children={children ? inner : undefined}
/>
{#snippet inner()}{@render children?.()}{/snippet}
