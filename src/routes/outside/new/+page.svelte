<script lang="ts">
  import EditConnection from '$lib/ui/outside/EditConnection.svelte';
</script>

<svelte:head><title>A new connection – Unisor</title></svelte:head>
<EditConnection connection={null} queries={[]} asked={[]} />
