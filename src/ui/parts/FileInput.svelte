<script lang="ts">
  import { Fileupload } from 'flowbite-svelte';
  import type { HTMLInputAttributes } from 'svelte/elements';

  let { class: given, ...rest }: Omit<HTMLInputAttributes, 'size' | 'type'> = $props();
</script>

<Fileupload
  {...rest as object}
  class={['h-8 rounded border-edge bg-sheet text-[13px] text-ink', given]}
/>
