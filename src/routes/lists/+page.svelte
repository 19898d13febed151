<script lang="ts">
  import { mayPlace } from '$lib/ui/shared/may';
  import MakeList from '$lib/ui/lists/MakeList.svelte';
  import ListsLedger from '$lib/ui/lists/ListsLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>Lists – Unisor</title></svelte:head>
<div class="headline">
  <h1>Lists</h1>
  <span class="quiet">{data.lists.length} option lists</span>
  {#if mayPlace('lists')}<MakeList taken={data.lists.map(({ key }) => key)} />{/if}
</div>
<div class="px-5 pb-5"><ListsLedger lists={data.lists} /></div>
