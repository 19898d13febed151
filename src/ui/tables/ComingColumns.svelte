<script lang="ts">
  import { num, plural } from '$lib/core/words/say';
  import { Button, Checkbox, Input, Select } from '$lib/ui/parts';
  import ColumnEvidence from './ColumnEvidence.svelte';
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
        <label class="quiet mt-1 flex items-center gap-2">
          <span>matched by</span>
          <Select
            class="w-auto!"
            aria-label="Column that {column.label} of {table.title} is matched by"
            bind:value={column.match}
            onchange={changed}
          >
            {#each others.find(({ key }) => key === to)?.columns ?? [] as { key, label } (key)}
              <option value={key}>{label}</option>
            {/each}
          </Select>
        </label>
      {/if}
      <ReadingSelect {column} onchange={changed} />
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
          <ColumnEvidence {profile} {column} onchange={changed} />
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
  </tr>
  {#if column.included && offer && offer.missing.length > 0}
    <tr class="bg-(--marigold-wash)">
      <td colspan="5"><SettleMissing {coming} {table} {i} missing={offer.missing} /></td>
    </tr>
  {/if}
{/each}
