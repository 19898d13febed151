<script lang="ts">
  import DesignForm from '$lib/ui/designing/DesignForm.svelte';
  import { tablesWith } from '$lib/core/table/sources';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const tables = $derived(tablesWith(data.sources, new Map(data.typed)));
  const counts = $derived(new Map(data.counts));
</script>

<svelte:head><title>{data.plan.title}, design – Unisor</title></svelte:head>

{#key data.form.key}
  <DesignForm form={data.form} plan={data.plan} {tables} {counts} person={data.person} />
{/key}
