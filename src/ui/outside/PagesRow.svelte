<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Input, Select } from '$lib/ui/parts';
  import { pagesSchema, type Pages, type Parameter } from '$lib/core/outside/query';

  interface Props {
    parameters: readonly Parameter[];
    pages: Pages | null;
  }
  let { parameters, pages = $bindable() }: Props = $props();

  const ways: Record<Pages['by'], string> = {
    rows: say('how many rows came before'),
    pages: say('the number of the page'),
    next: say('what the last answer gave'),
  };

  function choose(parameter: string) {
    if (parameter === '') pages = null;
    else if (pages) pages.parameter = parameter;
    else pages = pagesSchema.parse({ parameter, by: 'rows' });
  }
</script>

<div class="flex flex-wrap items-center gap-2">
  <label class="flex items-center gap-2">
    <span>Ask for further pages with</span>
    <Select
      class="w-auto!"
      value={pages?.parameter ?? ''}
      onchange={({ currentTarget: { value } }) => choose(value)}
    >
      <option value="">no parameter: an answer is whole</option>
      {#each parameters as { key, label } (key)}<option value={key}>{label}</option>{/each}
    </Select>
  </label>
  {#if pages}
    <label class="flex items-center gap-2">
      <span>which takes</span>
      <Select class="w-auto!" bind:value={pages.by}>
        {#each Object.entries(ways) as [by, words] (by)}<option value={by}>{words}</option>{/each}
      </Select>
    </label>
    {#if pages.by === 'next'}
      <label class="flex items-center gap-2">
        found at
        <Input class="w-32! font-mono text-[12.5px]!" bind:value={pages.next} />
      </label>
    {:else}
      <label class="flex items-center gap-2">
        The total number of rows is at
        <Input
          class="w-32! font-mono text-[12.5px]!"
          placeholder="nowhere"
          bind:value={pages.total}
        />
      </label>
    {/if}
  {/if}
</div>
