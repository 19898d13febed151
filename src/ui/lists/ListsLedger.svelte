<script lang="ts">
  import { num } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Ledger } from '$lib/ui/parts';
  import type { OptionList } from '$lib/core/table/option-list';
  import { formatValue } from '$lib/core/values/format';

  interface Props {
    lists: readonly (OptionList & { uses: number; records: number; by: string; at: string })[];
  }
  let { lists }: Props = $props();

  const titles = $derived(new Map(lists.map(({ key, title }) => [key, title])));

  function values({ values }: OptionList): string {
    const offered = values.filter((option) => !option.retired);
    const shown = offered.slice(0, 5).map((option) => option.label);
    return offered.length > shown.length ? `${shown.join(', ')} …` : shown.join(', ');
  }
</script>

<Ledger class="border-line border">
  <thead>
    <tr>
      <th>List</th><th>Category</th><th class="num">Values</th><th>They are</th>
      <th>Belong to</th><th class="num">Used in</th><th class="num">Records</th><th>Changed</th>
    </tr>
  </thead>
  <tbody>
    {#each lists as list (list.key)}
      <tr>
        <td><a class="font-semibold hover:underline" href="/lists/{list.key}">{list.title}</a></td>
        <td class="text-soft">{list.category || '–'}</td>
        <td class="num">{num(list.values.length)}</td>
        <td class="max-w-80 truncate">{values(list) || '–'}</td>
        <td class="text-soft">{list.of === null ? '–' : (titles.get(list.of) ?? list.of)}</td>
        <td class="num">{list.uses === 0 ? '–' : list.uses}</td>
        <td class="num">{list.records === 0 ? '–' : num(list.records)}</td>
        <td class="text-soft whitespace-nowrap"
          >{formatValue({ kind: 'date_time' }, list.at, reader())}, {list.by}</td
        >
      </tr>
    {:else}
      <tr>
        <td colspan="8" class="text-soft">
          No lists yet. A list holds values shared by several forms and tables; change a label here
          and it changes everywhere.
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
