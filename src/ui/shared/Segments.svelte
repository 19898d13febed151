<script lang="ts">
  interface Props {
    items: readonly { label: string; href: string; current: boolean }[];
    label: string;
  }
  let { items, label }: Props = $props();
</script>

<nav class="border-line bg-sheet flex rounded border" aria-label={label}>
  {#each items as item (item.href)}
    <a
      href={item.href}
      class="border-line border-r px-3 py-1.5 last:border-r-0 {item.current ? 'font-semibold' : ''}"
      style={item.current ? 'box-shadow: inset 0 -2px 0 var(--marigold)' : ''}
      aria-current={item.current ? 'page' : undefined}>{item.label}</a
    >
  {/each}
</nav>
