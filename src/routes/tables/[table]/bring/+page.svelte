<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { page } from '$app/state';
  import Segments from '$lib/ui/shared/Segments.svelte';
  import BringRows from '$lib/ui/tables/BringRows.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const pasted = $derived(page.url.searchParams.get('from') === 'paste');
</script>

<div class="grid gap-4 px-5 pb-8">
  <div class="flex items-center gap-4">
    <h2>Import rows</h2>
    <Segments
      label="Ways to bring in rows"
      items={[
        { label: say('From a file'), href: '?from=file', current: !pasted },
        { label: say('From pasted rows'), href: '?from=paste', current: pasted },
      ]}
    />
  </div>
  {#key pasted}
    <BringRows tables={data.tables} into={data.table} {pasted} />
  {/key}
</div>
