<script lang="ts">
  import { mayPlace } from '$lib/ui/shared/may';
  import { plural } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import DraftForm from '$lib/ui/designing/DraftForm.svelte';
  import DraftsLedger from '$lib/ui/filling/DraftsLedger.svelte';
  import FormsLedger from '$lib/ui/designing/FormsLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  let drafting = $state(false);
  const titles = $derived(new Map(data.forms.map(({ key, title }) => [key, title])));
</script>

<svelte:head><title>Forms – Unisor</title></svelte:head>
<div class="headline">
  <h1>Forms</h1>
  <span class="quiet">{plural(data.forms.length, ['# form', '# forms'])}</span>
  {#if mayPlace('forms')}
    <Button class="ms-auto" disabled={data.tables.length === 0} onclick={() => (drafting = true)}>
      Draft a form
    </Button>
  {/if}
</div>
<div class="grid gap-6 px-5 pb-5">
  <FormsLedger forms={data.forms} tables={data.tables} />
  {#if data.drafts.length > 0}
    <section>
      <h2 class="mb-2">Not saved yet</h2>
      <DraftsLedger drafts={data.drafts} {titles} />
    </section>
  {/if}
</div>
{#if mayPlace('forms')}<DraftForm tables={data.tables} bind:open={drafting} />{/if}
