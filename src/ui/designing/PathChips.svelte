<script lang="ts">
  import { Button, Select } from '$lib/ui/parts';
  interface Props {
    chosen: readonly string[];
    paths: readonly { path: string; label: string }[];
    /** What is done with a column: `Show`, `Offer`. */
    word: string;
    onchange: (chosen: string[]) => void;
  }
  let { chosen, paths, word, onchange }: Props = $props();
</script>

{#each chosen as path, i (path)}
  {@const label = paths.find((p) => p.path === path)?.label ?? path}
  <span class="chip">
    {label}
    <Button
      kind="bare"
      aria-label="Remove the column {label}"
      onclick={() => onchange(chosen.filter((_, k) => k !== i))}>×</Button
    >
  </span>
{/each}
<Select
  class="w-auto!"
  aria-label="{word} another column"
  value=""
  onchange={(event) => {
    onchange([...chosen, event.currentTarget.value]);
    event.currentTarget.value = '';
  }}
>
  <option value="">+ column</option>
  {#each paths.filter((p) => !chosen.includes(p.path)) as { path, label } (path)}
    <option value={path}>{label}</option>
  {/each}
</Select>
