<script lang="ts">
  import { Toggle } from 'flowbite-svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  interface Props extends Omit<HTMLInputAttributes, 'value' | 'type' | 'color' | 'size'> {
    checked?: boolean;
  }
  let { checked = $bindable(false), class: given, ...rest }: Props = $props();
</script>

<Toggle
  {...rest as object}
  bind:checked
  class={['min-h-8 gap-2', given]}
  classes={{ span: 'me-0 bg-(--edge) peer-checked:bg-(--navy)' }}
/>
