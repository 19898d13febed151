<script lang="ts">
  import { Button } from 'flowbite-svelte';
  import DraftForm from '$lib/ui/designing/DraftForm.svelte';
  import FormsLedger from '$lib/ui/designing/FormsLedger.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  let drafting = $state(false);
</script>

<svelte:head><title>Forms – Unisor</title></svelte:head>
<div class="headline">
  <h1>Forms</h1>
  <span class="quiet">{data.forms.length} forms</span>
  <Button class="ms-auto" disabled={data.tables.length === 0} onclick={() => (drafting = true)}>
    Draft a form
  </Button>
</div>
<div class="px-5 pb-5"><FormsLedger forms={data.forms} tables={data.tables} /></div>
<DraftForm tables={data.tables} bind:open={drafting} />
