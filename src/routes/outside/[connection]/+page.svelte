<script lang="ts">
  import EditConnection from '$lib/ui/outside/EditConnection.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>{data.connection.title} – Unisor</title></svelte:head>
{#key data.connection.key}
  <EditConnection
    connection={data.connection}
    queries={data.queries}
    told={data.told}
    asked={data.asked}
    pause={data.pause}
  />
{/key}
