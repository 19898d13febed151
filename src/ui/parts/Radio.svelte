<script lang="ts" generics="T">
  import { Radio } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    /** The value that is chosen among those of the same name. */
    group: T;
    value: T;
    name: string;
    disabled?: boolean;
    onchange?: () => void;
    'aria-describedby'?: string;
    children?: Snippet;
  }
  let { group = $bindable(), children, ...rest }: Props = $props();
</script>

<Radio {...rest} bind:group class="me-1" classes={{ label: 'font-normal text-ink' }}>
  {@render children?.()}
</Radio>
