<script lang="ts">
  import { mayPlace } from '$lib/ui/shared/may';
  import { reader } from '$lib/core/words/reader';
  import { Ledger } from '$lib/ui/parts';
  import { houseOf } from '$lib/core/table/sources';
  import { formatValue } from '$lib/core/values/format';
  import { filesIn, idsOf, rowsIn } from '$lib/core/values/types';
  import { invalidate } from '$app/navigation';
  import InviteGuest from '$lib/ui/access/InviteGuest.svelte';
  import RecordHistory from '$lib/ui/tables/RecordHistory.svelte';
  import ReferringRecords from '$lib/ui/tables/ReferringRecords.svelte';
  import FilesShown from '$lib/ui/shared/FilesShown.svelte';
  import KeptRows from '$lib/ui/tables/KeptRows.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const tables = $derived(houseOf(data.tables.map((table) => [table.key, table])));
  const home = $derived(`/tables/${data.table.key}/records/${data.record.id}`);
  const refresh = () => void invalidate('unisor:record');
</script>

<div class="grid max-w-[1080px] gap-6 px-5 pb-6">
  <section>
    <div class="mb-2 flex flex-wrap items-baseline gap-3">
      <h2>{data.line}</h2>
      <span class="ms-auto flex gap-4">
        {#each data.fillable as form (form.key)}
          <a
            class="textlink"
            href="/forms/{form.key}?record={data.record.id}&back={encodeURIComponent(home)}"
            >Open in {form.title}</a
          >
        {/each}
        {#if mayPlace('invite')}
          <InviteGuest forms={data.fillable} record={data.record.id} />
        {/if}
      </span>
    </div>
    <Ledger class="border-line border">
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
                      {data.record.linked?.[column.key]?.[i] ?? '–'}
                    </a>
                  </div>
                {:else}–{/each}
              {:else if column.type.kind === 'rows' && value !== null}
                <KeptRows columns={column.type.columns} rows={rowsIn(value)} />
              {:else if column.type.kind === 'files'}
                <FilesShown files={filesIn(value)} />
              {:else}{formatValue(column.type, value, reader())}{/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </Ledger>
  </section>
  {#if data.referring.length > 0}
    <section>
      <h2 class="mb-2">What refers to it</h2>
      {#each data.referring as referring (`${referring.table} ${referring.column}`)}
        <ReferringRecords
          to={{ table: data.table.key, id: data.record.id, line: data.line }}
          {referring}
          {tables}
          onchanged={refresh}
        />
      {/each}
    </section>
  {/if}
  <section>
    <h2 class="mb-2">History</h2>
    <RecordHistory
      table={data.table}
      record={data.record}
      steps={data.history.steps}
      shown={data.history.shown}
      onchanged={refresh}
    />
  </section>
</div>
