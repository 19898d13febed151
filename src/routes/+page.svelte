<script lang="ts">
  import FormsLedger from '$lib/ui/designing/FormsLedger.svelte';
  import ActivityLedger from '$lib/ui/tables/ActivityLedger.svelte';
  import TablesLedger from '$lib/ui/tables/TablesLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const titles = $derived(new Map(data.tables.map(({ key, title }) => [key, title])));
</script>

<svelte:head><title>Unisor</title></svelte:head>
<div class="page grid gap-6">
  {#if data.tables.length === 0}
    <section class="max-w-[640px]">
      <h1>Start with a table</h1>
      <p class="text-soft mt-2">
        Unisor turns your tables into entry forms. Import a table, link its columns to other tables,
        draft a form and start filling it in.
      </p>
      <p class="mt-3"><a class="textlink" href="/tables/new">Create your first table</a></p>
    </section>
  {/if}
  <section>
    <h2 class="mb-2"><a href="/forms">Forms</a></h2>
    <FormsLedger forms={data.forms} tables={data.tables} />
  </section>
  <section>
    <div class="mb-2 flex justify-between">
      <h2><a href="/tables">Tables</a></h2>
      <a class="textlink" href="/tables/new">Make a table</a>
    </div>
    <TablesLedger tables={data.tables} />
  </section>
  <section>
    <h2 class="mb-2"><a href="/activity">Written lately</a></h2>
    <ActivityLedger rows={data.activity} {titles} />
  </section>
</div>
