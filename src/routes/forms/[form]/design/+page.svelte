<script lang="ts">
  import DesignForm from '$lib/ui/designing/DesignForm.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const counts = $derived(new Map(data.counts));
  const limited = $derived(new Map(data.limited));
</script>

<svelte:head><title>{data.plan.title}, design – Unisor</title></svelte:head>

{#key data.form.key}
  <DesignForm
    form={data.form}
    plan={data.plan}
    tables={data.tables}
    {counts}
    {limited}
    clustered={data.clustered}
    person={data.person}
  />
{/key}
