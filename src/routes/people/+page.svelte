<script lang="ts">
  import { plural } from '$lib/core/words/say';
  import EditPerson from '$lib/ui/people/EditPerson.svelte';
  import PeopleLedger from '$lib/ui/people/PeopleLedger.svelte';
  import { Button } from '$lib/ui/parts';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  /** Who is being changed; `new` where somebody is added. */
  let editing = $state<number | 'new' | null>(null);
  const account = $derived(data.accounts.find(({ id }) => id === editing) ?? null);
</script>

<svelte:head><title>People – Unisor</title></svelte:head>
<div class="headline">
  <h1>People</h1>
  <span class="quiet">{plural(data.accounts.length, ['# account', '# accounts'])}</span>
  <span class="ms-auto flex gap-2">
    <Button kind="other" href="/people/rights">Rights</Button>
    <Button onclick={() => (editing = 'new')}>Add a person</Button>
  </span>
</div>
<div class="px-5 pb-5">
  <PeopleLedger accounts={data.accounts} roles={data.roles} onedit={(id) => (editing = id)} />
</div>
{#if editing !== null}
  <EditPerson
    {account}
    roles={data.roles}
    tables={data.tables}
    self={data.self}
    onclose={() => (editing = null)}
  />
{/if}
