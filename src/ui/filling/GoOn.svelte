<script lang="ts">
  import { Button } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';

  interface Props {
    /** What was begun and is not finished, the latest first: at most three stand side by side. */
    begun: readonly {
      id: string;
      /** What is being done: "Filling in Lend music". */
      doing: string;
      title: string;
      href: string;
      action: string;
      at: string;
    }[];
  }
  let { begun }: Props = $props();
</script>

<div class="border-line divide-line grid border-y max-md:divide-y md:grid-cols-3 md:divide-x">
  {#each begun as { id, doing, title, href, action, at }, i (id)}
    <div class={['flex flex-col gap-1 py-3', i > 0 && 'md:ps-5', 'md:pe-5']}>
      <span class="quiet">{doing}</span>
      <span class="font-serif text-[15px] font-semibold wrap-anywhere">{title}</span>
      <span class="mt-auto flex items-center gap-3 pt-2">
        <Button kind={i === 0 ? 'main' : 'other'} {href}>{action}</Button>
        <span class="quiet">{ago(at)}</span>
      </span>
    </div>
  {/each}
</div>
