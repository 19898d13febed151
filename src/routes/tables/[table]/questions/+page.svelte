<script lang="ts">
  import { goto, invalidate } from '$app/navigation';
  import { plural, say } from '$lib/core/words/say';
  import { houseOf } from '$lib/core/table/sources';
  import { Button, Select } from '$lib/ui/parts';
  import AskedSheet from '$lib/ui/answers/AskedSheet.svelte';
  import CopySet from '$lib/ui/answers/CopySet.svelte';
  import QuestionRows from '$lib/ui/answers/QuestionRows.svelte';
  import { mayPlace, mayTable } from '$lib/ui/shared/may';
  import AddRecord from '$lib/ui/tables/AddRecord.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  let adding = $state(false);
  const tables = $derived(houseOf(data.tables.map((table) => [table.key, table])));
  const { looked } = $derived(data);
  const refresh = () => void invalidate('unisor:records');
  const asked = $derived(looked.sets.reduce((sum, { questions }) => sum + questions, 0));
</script>

<div class="flex h-full flex-col">
  <div
    class="border-line bg-sheet flex min-h-11 flex-wrap items-center gap-3 border-t border-b px-5 py-1.5 text-[13px]"
  >
    <span>
      {looked.by === null ? '' : `${plural(looked.sets.length, ['# set', '# sets'])}, `}{plural(
        asked,
        ['# question', '# questions'],
      )}, asked by
      {#if data.asking.length > 1}
        <Select
          class="w-auto!"
          aria-label="Asked by"
          value={data.form.key}
          onchange={(event) => void goto(`?form=${event.currentTarget.value}`)}
        >
          {#each data.asking as { key, title } (key)}<option value={key}>{title}</option>{/each}
        </Select>
      {:else}
        <b>{data.form.title}</b>
      {/if}
    </span>
    <span class="ms-auto flex flex-wrap items-center gap-3">
      {#if mayTable(data.table.key, 'add')}
        <CopySet
          table={data.table}
          {tables}
          {looked}
          records={data.page.records}
          oncopied={refresh}
        />
        {#if mayPlace('tables')}
          <a class="textlink" href="/tables/{data.table.key}/bring">Paste from a spreadsheet</a>
        {/if}
      {/if}
    </span>
  </div>
  <div class="grid min-h-0 flex-1 grid-cols-[minmax(0,1.7fr)_minmax(320px,1fr)] max-lg:grid-cols-1">
    <div class="min-h-0 overflow-auto">
      <QuestionRows
        table={data.table}
        {tables}
        records={data.page.records}
        {looked}
        onchanged={refresh}
      />
    </div>
    <div class="border-line min-h-0 overflow-auto border-l">
      {#if data.sheet}
        {#key `${data.form.key} ${data.sheet.edition}`}
          <AskedSheet
            formKey={data.form.key}
            sheet={data.sheet}
            begins={looked.field === null ? {} : { [looked.field]: looked.sets[0]?.value ?? null }}
            version={data.page}
          />
        {/key}
      {:else}
        <p class="text-soft p-5">You may not fill in this form, so it is not shown here.</p>
      {/if}
    </div>
  </div>
  <div class="foot h-11 shrink-0 text-[13px]">
    {#if mayTable(data.table.key, 'add')}
      <Button onclick={() => (adding = true)}>Add a question</Button>
    {/if}
    {#if looked.faults.length > 0}
      <span class="text-crimson">
        {plural(looked.faults.length, ['# row cannot be asked', '# rows cannot be asked'])}
      </span>
    {:else}
      <span class="text-soft">Every row can be asked</span>
    {/if}
    <span class="quiet ms-auto">
      {say('Sheets already filled in keep the questions as they were asked.')}
    </span>
  </div>
</div>
<AddRecord table={data.table} {tables} bind:open={adding} onadded={refresh} />
