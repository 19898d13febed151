<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { page } from '$app/state';
</script>

<svelte:head><title>Not here – Unisor</title></svelte:head>
<div class="page">
  <h1>{page.status === 404 ? say('There is nothing here') : say('That did not work')}</h1>
  <p class="mt-2">{page.error?.message}</p>
  {#if page.error?.hint}<p class="text-soft">{page.error.hint}</p>{/if}
  <p class="mt-4"><a class="textlink" href="/">Go to the start</a></p>
</div>
