<script lang="ts">
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
  <span class="chip">
    {paths.find((p) => p.path === path)?.label ?? path}
    <button
      type="button"
      aria-label="Do not {word.toLowerCase()} {path}"
      onclick={() => onchange(chosen.filter((_, k) => k !== i))}>×</button
    >
  </span>
{/each}
<select
  class="control w-auto!"
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
</select>
