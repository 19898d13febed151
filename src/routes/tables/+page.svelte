<script lang="ts">
  import { mayPlace } from '$lib/ui/shared/may';
  import { Button } from '$lib/ui/parts';
  import TablesLedger from '$lib/ui/tables/TablesLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>Tables – Unisor</title></svelte:head>
<div class="headline">
  <h1>Tables</h1>
  <span class="quiet">{data.tables.length} tables</span>
  {#if mayPlace('tables')}
    <a class="textlink ms-auto" href="/api/package" download>Export everything</a>
    <Button href="/tables/new">Make a table</Button>
  {/if}
</div>
<div class="px-5 pb-5"><TablesLedger tables={data.tables} /></div>
