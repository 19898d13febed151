<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import { comparePlans } from '$lib/core/plan/compare';
  import type { Plan } from '$lib/core/plan/schema';
  import type { House } from '$lib/core/table/definition';
  import Changes from './Changes.svelte';
  import type { Meanwhile } from './design-session.svelte';

  interface Props {
    meanwhile: Meanwhile;
    /** The plan that stands here and was refused; `null` where theirs was taken over. */
    mine: Plan | null;
    tables: House;
    onseen: () => void;
    onsettle: (whose: 'theirs' | 'mine') => void;
  }
  let { meanwhile, mine, tables, onseen, onsettle }: Props = $props();

  const theirs = $derived(comparePlans(meanwhile.before, meanwhile.after, tables));
  const own = $derived(mine ? comparePlans(meanwhile.before, mine, tables) : []);
</script>

<section
  class="border-line bg-sheet max-h-56 shrink-0 overflow-auto border-t px-5 py-2"
  aria-label="Changed meanwhile"
>
  <div class="flex items-baseline gap-3">
    <b role="status">{meanwhile.by} changed this draft in another window.</b>
    {#if mine}
      <span>Your changes below have not been saved.</span>
      <Button kind="link" class="ms-auto" onclick={() => onsettle('theirs')}>Use theirs</Button>
      <Button kind="link" onclick={() => onsettle('mine')}>Keep mine</Button>
    {:else}
      <span class="quiet">It is shown here now; Undo brings yours back.</span>
      <Button kind="link" class="ms-auto" onclick={onseen}>Seen</Button>
    {/if}
  </div>
  <div class={mine ? 'grid grid-cols-2 gap-6' : ''}>
    <div>
      {#if mine}<span class="tag">Theirs</span>{/if}
      <Changes changes={theirs} />
    </div>
    {#if mine}
      <div>
        <span class="tag">Mine</span>
        <Changes changes={own} />
      </div>
    {/if}
  </div>
</section>
