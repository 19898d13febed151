<script lang="ts">
  import EditQuery from '$lib/ui/outside/EditQuery.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>A new query – Unisor</title></svelte:head>
<EditQuery query={null} connections={data.connections} uses={[]} />
