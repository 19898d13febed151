<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import AllowedHosts from '$lib/ui/outside/AllowedHosts.svelte';
  import ConnectionsLedger from '$lib/ui/outside/ConnectionsLedger.svelte';
  import QueriesLedger from '$lib/ui/outside/QueriesLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>Outside – Unisor</title></svelte:head>
<div class="headline">
  <h1>Outside</h1>
  <span class="quiet">{data.connections.length} connections, {data.queries.length} queries</span>
  <a class="textlink ms-auto" href="/outside/outbox">
    Outbox: {data.outbox.waiting} waiting, {data.outbox.failed} failed
  </a>
  <span class="flex gap-2">
    <Button kind="other" href="/outside/queries/new" disabled={data.connections.length === 0}
      >Make a query</Button
    >
    <Button href="/outside/new">Make a connection</Button>
  </span>
</div>
<div class="grid grid-cols-[minmax(0,1fr)] gap-6 px-5 pb-5">
  <ConnectionsLedger connections={data.connections} queries={data.queries} />
  <div>
    <h2 class="mb-2">Queries</h2>
    <QueriesLedger queries={data.queries} connections={data.connections} />
  </div>
  <AllowedHosts hosts={data.hosts} />
</div>
