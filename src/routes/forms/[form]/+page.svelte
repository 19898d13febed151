<script lang="ts">
  import { page } from '$app/state';
  import ThroughForm from '$lib/ui/filling/ThroughForm.svelte';
  import FillForm from '$lib/ui/filling/FillForm.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
</script>

<svelte:head>
  <title>{data.named ? `${data.named}, ` : ''}{data.plan.title} – Unisor</title>
</svelte:head>

{#if data.plan.through}
  {#key `${data.form.key} ${data.edition} ${page.url.searchParams.get('key') ?? ''}`}
    <ThroughForm
      given={{
        formKey: data.form.key,
        plan: { ...data.plan, through: data.plan.through },
        edition: data.edition,
        tables: data.tables,
        person: data.person,
      }}
      opensWith={page.url.searchParams.get('key') ?? ''}
    />
  {/key}
{:else}
  {#key `${data.form.key} ${data.edition} ${data.opened?.stored.id ?? ''} ${data.carriedBy}`}
    <FillForm
      given={{
        formKey: data.form.key,
        plan: data.plan,
        edition: data.edition,
        tables: data.tables,
        sets: data.sets,
        opened: data.opened,
        named: data.named,
        carried: data.carried,
        carriedBy: data.carriedBy,
        forms: data.forms,
        person: data.person,
        link: Object.fromEntries(page.url.searchParams),
      }}
      draft={data.kept}
      back={page.url.searchParams.get('back')}
    />
  {/key}
{/if}
