<script lang="ts">
  import { invalidate } from '$app/navigation';
  import { onMount } from 'svelte';
  import OutboxLedger from '$lib/ui/outside/OutboxLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  onMount(() => {
    const clock = setInterval(() => void invalidate('unisor:outbox'), 3000);
    return () => clearInterval(clock);
  });
</script>

<svelte:head><title>Outbox – Unisor</title></svelte:head>
<div class="headline">
  <h1>Outbox</h1>
  <span class="quiet">
    {data.counts.waiting} waiting, {data.counts.failed} failed, {data.counts.sent} sent
  </span>
  <a class="textlink ms-auto" href="/outside">Outside</a>
</div>
<div class="px-5 pb-5"><OutboxLedger sends={data.sends} connections={data.connections} /></div>
