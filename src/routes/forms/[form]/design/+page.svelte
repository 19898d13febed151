<script lang="ts">
  import { houseAnswer } from '$lib/core/contract/answers';
  import type { House } from '$lib/core/table/definition';
  import { tablesWith } from '$lib/core/table/sources';
  import { call } from '$lib/ui/shared/api';
  import DesignForm from '$lib/ui/designing/DesignForm.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  /** All tables, where the page began with some of them. */
  let all = $state.raw<House | null>(null);
  const tables = $derived(data.partly && all ? all : data.tables);
  $effect(() => {
    // Once more whenever they have changed.
    void data.tables;
    if (data.partly) void readAll(data.form.key);
  });
  async function readAll(form: string) {
    const read = await call(houseAnswer, `/api/forms/${form}/house`);
    if (read.ok && form === data.form.key) all = tablesWith(read.value);
  }

  const counts = $derived(new Map(data.counts));
  const limited = $derived(new Map(data.limited));
</script>

<svelte:head><title>{data.plan.title}, design – Unisor</title></svelte:head>

{#key data.form.key}
  <DesignForm
    form={data.form}
    plan={data.plan}
    {tables}
    {counts}
    {limited}
    clustered={data.clustered}
    person={data.person}
  />
{/key}
