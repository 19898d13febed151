<script lang="ts">
  import type { Snippet } from 'svelte';
  import Mark from '$lib/ui/shared/Mark.svelte';

  interface Props {
    title: string;
    lead: string;
    children: Snippet;
    /** What stands beside it, where there is room. */
    beside?: Snippet;
  }
  /** The sheet on which people come in: they sign in, are welcomed, or make the first keeper. */
  let { title, lead, children, beside }: Props = $props();
</script>

<div class="px-5 pt-4 pb-8">
  <div class="flex items-center gap-2 font-serif text-[20px] font-semibold">
    <Mark />
    Unisor
  </div>
  <div
    class="border-line bg-sheet mx-auto mt-12 grid rounded border max-md:mt-6 {beside
      ? 'max-w-[1080px] md:grid-cols-[minmax(0,7fr)_minmax(0,9fr)]'
      : 'max-w-[480px]'}"
  >
    <div class="grid content-start gap-4 px-12 py-10 max-md:px-5 max-md:py-6">
      <div>
        <h1 class="text-[28px]/[34px]!">{title}</h1>
        <p class="quiet m-0 mt-1">{lead}</p>
      </div>
      {@render children()}
    </div>
    {#if beside}
      <div
        class="border-line bg-paper border-s px-10 py-10 max-md:border-s-0 max-md:border-t max-md:px-5 max-md:py-6"
      >
        {@render beside()}
      </div>
    {/if}
  </div>
</div>
