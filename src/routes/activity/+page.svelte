<script lang="ts">
  import InvitationsLedger from '$lib/ui/access/InvitationsLedger.svelte';
  import ActivityLedger from '$lib/ui/tables/ActivityLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const titles = $derived(new Map(data.titles.map(({ key, title }) => [key, title])));
</script>

<svelte:head><title>Activity – Unisor</title></svelte:head>
<div class="headline">
  <h1>Activity</h1>
  <span class="quiet">every save, newest first</span>
</div>
<div class="px-5 pb-5">
  {#if data.invitations.length > 0}
    <h2 class="mb-2">Guests</h2>
    <div class="mb-6"><InvitationsLedger invitations={data.invitations} /></div>
    <h2 class="mb-2">Saves</h2>
  {/if}
  <ActivityLedger rows={data.rows} {titles} />
  {#if data.next}
    <p class="mt-3"><a class="textlink" href="/activity?before={data.next}">Older ones</a></p>
  {/if}
</div>
