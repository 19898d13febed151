<script lang="ts">
  import { Toast } from 'flowbite-svelte';
  import type { Snippet } from 'svelte';

  interface Props {
    onclose: () => void;
    children?: Snippet;
  }
  let { onclose, children }: Props = $props();
</script>

<Toast
  class="border-line bg-sheet text-ink fixed end-5 bottom-20 z-40 w-auto max-w-[420px] rounded border p-3 shadow-lg"
  classes={{ content: 'text-[13.5px] text-ink' }}
  {onclose}
>
  {@render children?.()}
</Toast>
