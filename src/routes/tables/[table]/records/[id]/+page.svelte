<script lang="ts">
  import { formatValue } from '$lib/core/values/format';
  import { idsOf, rowsIn } from '$lib/core/values/types';
  import ActivityLedger from '$lib/ui/tables/ActivityLedger.svelte';
  import KeptRows from '$lib/ui/tables/KeptRows.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const titles = $derived(new Map(data.tables.map(({ key, title }) => [key, title])));
</script>

<div class="grid max-w-[1000px] gap-6 px-5 pb-6">
  <section>
    <h2 class="mb-2">{data.line} <span class="quiet font-sans!">record {data.record.id}</span></h2>
    <table class="ledger border-line border">
      <tbody>
        {#each data.table.columns as column (column.key)}
          {@const value = data.record.values[column.key] ?? null}
          <tr>
            <th class="w-56">{column.label}</th>
            <td class="whitespace-pre-wrap">
              {#if column.type.kind === 'reference' && value !== null}
                <a class="ref" href="/tables/{column.type.table}/records/{value}">
                  {data.record.shown[column.key]}
                </a>
              {:else if column.type.kind === 'references'}
                {#each idsOf(value) as id, i (id)}
                  <div>
                    <a class="ref" href="/tables/{column.type.table}/records/{id}">
                      {data.record.linked?.[column.key]?.[i] ?? `#${id}`}
                    </a>
                  </div>
                {:else}–{/each}
              {:else if column.type.kind === 'rows' && value !== null}
                <KeptRows columns={column.type.columns} rows={rowsIn(value)} />
              {:else}{formatValue(column.type, value)}{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
  <section>
    <h2 class="mb-2">History</h2>
    <ActivityLedger rows={data.history} {titles} />
  </section>
</div>
