<script lang="ts">
  import DesignForm from '$lib/ui/designing/DesignForm.svelte';
  import type { PageProps } from './$types';

  import { tablesWith } from '$lib/core/table/option-list';

  let { data }: PageProps = $props();

  const tables = $derived(
    Object.assign(
      tablesWith(
        data.tables,
        new Map(data.lists.map((list) => [list.key, list])),
        new Map(data.queries.map((query) => [query.key, query])),
      ),
      { typed: new Map(data.typed) },
    ),
  );
  const counts = $derived(new Map(data.counts));
</script>

<svelte:head><title>{data.plan.title}, design – Unisor</title></svelte:head>

{#key data.form.key}
  <DesignForm form={data.form} plan={data.plan} {tables} {counts} person={data.person} />
{/key}
