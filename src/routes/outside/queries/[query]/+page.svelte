<script lang="ts">
  import EditQuery from '$lib/ui/outside/EditQuery.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>{data.query.title} – Unisor</title></svelte:head>
{#key data.query.key}
  <EditQuery query={data.query} connections={data.connections} uses={data.uses} />
{/key}
