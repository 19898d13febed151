<script lang="ts">
  import ActivityLedger from '$lib/ui/tables/ActivityLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const titles = $derived(new Map(data.titles.map(({ key, title }) => [key, title])));
</script>

<svelte:head><title>Activity – Unisor</title></svelte:head>
<div class="headline">
  <h1>Activity</h1>
  <span class="quiet">every save, the newest first</span>
</div>
<div class="px-5 pb-5">
  <ActivityLedger rows={data.rows} {titles} />
  {#if data.next}
    <p class="mt-3"><a class="textlink" href="/activity?before={data.next}">Older ones</a></p>
  {/if}
</div>
