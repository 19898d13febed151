<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Ledger } from '$lib/ui/parts';
  import { formatValue } from '$lib/core/values/format';

  interface Props {
    drafts: readonly {
      form: string;
      record: number | null;
      carried: string;
      at: string;
      about: string;
      /** The record that it changes, in one line. */
      named: string;
    }[];
    /** Titles of forms by key. */
    titles: ReadonlyMap<string, string>;
  }
  let { drafts, titles }: Props = $props();
</script>

<Ledger class="border-line border">
  <thead>
    <tr><th>Form</th><th>What was typed</th><th>Last changed</th></tr>
  </thead>
  <tbody>
    {#each drafts as { form, record, carried, at, about, named } (`${form} ${record} ${carried}`)}
      {@const query = record === null ? carried : `record=${record}`}
      {@const what = record === null ? say('a new one') : named || say('a record')}
      <tr>
        <td>{titles.get(form) ?? form}</td>
        <td>
          <a class="ref" href="/forms/{form}{query === '' ? '' : `?${query}`}">{about || what}</a>
          {#if about}<span class="quiet">{what}</span>{/if}
        </td>
        <td class="text-soft"
          >{formatValue({ kind: 'date_time' }, at.slice(0, 19) + 'Z', reader())}</td
        >
      </tr>
    {/each}
  </tbody>
</Ledger>
