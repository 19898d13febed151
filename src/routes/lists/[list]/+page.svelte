<script lang="ts">
  import EditList from '$lib/ui/lists/EditList.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head><title>{data.list.title} – Unisor</title></svelte:head>
{#key `${data.list.key} ${data.list.revision}`}
  <EditList list={data.list} lists={data.lists} uses={data.uses} />
{/key}
