<script lang="ts">
  import { say } from '$lib/core/words/say';
  import Segments from '$lib/ui/shared/Segments.svelte';
  import BringTogether from '$lib/ui/tables/BringTogether.svelte';
  import TakePackageIn from '$lib/ui/tables/TakePackageIn.svelte';
  import TableByHand from '$lib/ui/tables/TableByHand.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  const ways = $derived(
    (
      [
        ['files', say('From files')],
        ['paste', say('From pasted rows')],
        ['hand', say('By hand')],
        ['package', say('From a package')],
      ] as const
    ).map(([way, label]) => ({ label, href: `?from=${way}`, current: data.from === way })),
  );
</script>

<svelte:head><title>Make a table – Unisor</title></svelte:head>
<div class="headline">
  <h1>Make a table</h1>
  <Segments items={ways} label="Ways to make a table" />
</div>
<div class="px-5 pb-8">
  {#if data.from === 'hand'}
    <TableByHand tables={data.tables} />
  {:else if data.from === 'package'}
    <TakePackageIn />
  {:else}
    {#key data.from}
      <BringTogether tables={data.tables} pasted={data.from === 'paste'} />
    {/key}
  {/if}
</div>
