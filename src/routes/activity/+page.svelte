<script lang="ts">
  import InvitationsLedger from '$lib/ui/access/InvitationsLedger.svelte';
  import SavesList from '$lib/ui/tables/SavesList.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>Activity – Unisor</title></svelte:head>
<div class="headline">
  <h1>Activity</h1>
  <span class="quiet">every save, newest first</span>
</div>
<div class="max-w-[860px] px-5 pb-5">
  {#if data.invitations.length > 0}
    <h2 class="mb-2">Guests</h2>
    <div class="mb-6"><InvitationsLedger invitations={data.invitations} /></div>
    <h2 class="mb-2">Saves</h2>
  {/if}
  <SavesList saves={data.saves} tables={data.tables} forms={data.forms} />
  {#if data.next}
    <p class="mt-3"><a class="textlink" href="/activity?before={data.next}">Older saves</a></p>
  {/if}
</div>
