<script lang="ts">
  import { Button, Toast } from '$lib/ui/parts';
  import { tell, told } from './toasts.svelte';

  const current = $derived(told());
</script>

<div role="status" aria-live="polite">
  {#if current}
    {#key current}
      <Toast onclose={() => tell(null)}>
        <span class="flex flex-wrap items-baseline gap-x-3">
          {current.text}
          {#if current.link}
            <a class="textlink" href={current.link.href}>{current.link.label}</a>
          {/if}
          {#if current.action}
            <Button kind="link" onclick={() => current.action?.run()}>{current.action.label}</Button
            >
          {/if}
        </span>
      </Toast>
    {/key}
  {/if}
</div>
