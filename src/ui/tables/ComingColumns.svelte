<script lang="ts">
  import { num, plural } from '$lib/core/words/say';
  import { couldBeTable } from '$lib/core/formats/csv-profile';
  import { Button, Checkbox, Input } from '$lib/ui/parts';
  import ColumnEvidence from './ColumnEvidence.svelte';
  import MatchedBy from './MatchedBy.svelte';
  import ReadingSelect from './ReadingSelect.svelte';
  import SettleMissing from './SettleMissing.svelte';
  import TypeEditor from './TypeEditor.svelte';
  import type { ComingTable, ComingTogether } from './together.svelte';

  interface Props {
    coming: ComingTogether;
    table: ComingTable;
  }
  let { coming, table }: Props = $props();

  const others = $derived(coming.referable);
  const changed = () => coming.changed();

  /** What makes a table of the values of a column, where they could be one: the same names again and again. */
  function splitOf(i: number): { different: number; make: () => void } | null {
    const [profile, column, different] = [table.profiles[i], table.columns[i], table.different[i]];
    if (table.distinctOf || !column?.included || column.type.kind !== 'text') return null;
    if (!profile || !different || !couldBeTable(profile, different)) return null;
    return { different, make: () => coming.splitOff(table, i) };
  }

  /** The column of another table by which it is matched, where nothing better is known. */
  function firstMatch(key: string): string {
    const to = others.find((other) => other.key === key);
    return to?.columns.find((column) => column.unique)?.key ?? to?.columns[0]?.key ?? 'id';
  }
</script>

<!-- The columns of one file: what each becomes, and what the data show of it. -->
{#each table.columns as column, i (column.source)}
  {@const offer = coming.offerOf(table, i)}
  {@const better = column.type.kind === 'reference' ? undefined : table.offers[i]?.[0]}
  {@const left = coming.unsettled(table, i).length}
  {@const to = column.type.kind === 'reference' ? column.type.table : ''}
  <tr class={['[&>td]:align-top', !column.included && 'opacity-50']}>
    <td>
      <span class="flex items-center gap-2">
        <Checkbox
          aria-label="Import {column.label} of {table.title}"
          bind:checked={column.included}
          onchange={changed}
        />
        <Input
          class="min-w-28"
          aria-label="Label of {column.label} of {table.title}"
          bind:value={column.label}
          onchange={changed}
          maxlength={200}
        />
      </span>
    </td>
    <td class="min-w-108">
      <TypeEditor
        type={column.type}
        links={false}
        tables={others}
        label="{column.label} of {table.title}"
        distinct={table.profiles[i]?.distinct}
        onchange={(type) => {
          const begins = type.kind === 'reference' && column.type.kind !== 'reference';
          const best = table.offers[i]?.[0];
          if (begins && best) return coming.refer(table, i, best);
          column.type = type;
          column.match = type.kind === 'reference' ? firstMatch(type.table) : null;
          changed();
        }}
      />
      {#if column.type.kind === 'reference'}
        {@const other = others.find(({ key }) => key === to)}
        <MatchedBy
          {column}
          label="{column.label} of {table.title}"
          columns={other?.columns ?? []}
          numbered={!coming.tables.some(({ key }) => key === to)}
          onchange={changed}
        />
      {/if}
      <ReadingSelect {column} label="{column.label} of {table.title}" onchange={changed} />
    </td>
    <td class="text-soft min-w-48">
      {#if offer}
        <b class="text-ink">{num(offer.matching)} of {num(offer.values)} match</b>
        {#if left > 0}
          · <span class="text-crimson">{plural(left, ['# does not', '# do not'])}</span>
        {/if}
      {:else}
        {@const profile = table.profiles[i]}
        {#if profile}
          <ColumnEvidence {profile} {column} onchange={changed} split={splitOf(i)} />
        {/if}
      {/if}
      {#if better}
        <span class="block">
          {num(better.matching)} of {num(better.values)} are in {coming.titleOf(better.table)}.
          <Button kind="link" onclick={() => coming.refer(table, i, better)}>
            Refer to {coming.titleOf(better.table)}
          </Button>
        </span>
      {/if}
    </td>
    <td>
      <Checkbox
        aria-label="{column.label} of {table.title} is unique"
        bind:checked={column.unique}
        onchange={changed}
      />
    </td>
    <td>
      <Checkbox
        aria-label="{column.label} of {table.title} is required"
        bind:checked={column.required}
        onchange={changed}
      />
    </td>
    <td>
      <Checkbox
        aria-label="{column.label} of {table.title} shows the record"
        bind:checked={column.shows}
        onchange={changed}
      />
    </td>
  </tr>
  {#if column.included && offer && offer.missing.length > 0}
    <tr class="bg-(--marigold-wash)">
      <td colspan="6"><SettleMissing {coming} {table} {i} missing={offer.missing} /></td>
    </tr>
  {/if}
{/each}
