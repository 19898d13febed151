<script lang="ts">
  import { num, plural, say } from '$lib/core/words/say';
  import { invalidate } from '$app/navigation';
  import type { ImportedTogether } from '$lib/core/contract/answers';
  import type { Table } from '$lib/core/table/definition';
  import { Button, Checkbox, FileInput, Input, Ledger, Progressbar, Spinner } from '$lib/ui/parts';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import ComingColumns from './ComingColumns.svelte';
  import LinksPicture from './LinksPicture.svelte';
  import RejectedRows from './RejectedRows.svelte';
  import { ComingTogether } from './together.svelte';

  interface Props {
    tables: readonly Table[];
  }
  let { tables }: Props = $props();

  // svelte-ignore state_referenced_locally
  const coming = new ComingTogether(tables);
  let came = $state.raw<ImportedTogether | null>(null);
  let over = $state(false);

  const rows = $derived(
    coming.tables.reduce((sum, table) => sum + table.rows + table.extra.length, 0),
  );
  const columns = $derived(
    coming.tables.flatMap((table) => table.columns.filter(({ included }) => included)),
  );
  const unsettled = $derived(
    coming.tables.reduce(
      (sum, table) =>
        sum + table.columns.reduce((n, _, i) => n + coming.unsettled(table, i).length, 0),
      0,
    ),
  );
  const rejected = $derived(
    coming.looked?.tables.reduce((sum, { rejectedRows }) => sum + rejectedRows, 0) ?? 0,
  );
  const facts = $derived([
    [say('Links between tables'), num(columns.filter(({ match }) => match !== null).length)],
    [say('Unique columns'), num(columns.filter(({ unique }) => unique).length)],
    [say('Names to settle'), unsettled === 0 ? say('none') : num(unsettled)],
    [
      say('Rows held back'),
      coming.looked ? (rejected === 0 ? say('none') : num(rejected)) : say('not checked yet'),
    ],
  ]);

  const tablesSaid = $derived(plural(coming.tables.length, ['# table', '# tables']));
  const rowsSaid = $derived(plural(rows, ['# row', '# rows']));

  async function bring(mode: 'check' | 'refuse' | 'leave_out') {
    came = await coming.bring(mode);
    if (came) await invalidate('unisor:catalog');
  }

  function choose(files: FileList | null | undefined) {
    if (files && files.length > 0) void coming.add([...files]);
  }
</script>

<svelte:window
  onkeydown={(event) => {
    if (event.key !== 'Enter' || !event.ctrlKey || coming.tables.length === 0 || came) return;
    event.preventDefault();
    void bring('refuse');
  }}
/>

{#if came}
  <div class="grid max-w-[640px] gap-3" role="status">
    <p class="m-0">
      <b>{plural(came.tables.length, ['# table imported.', '# tables imported.'])}</b>
      {#if came.forms.length > 0}
        {plural(came.forms.length, ['# form is drafted.', '# forms are drafted.'])}
      {/if}
    </p>
    <Ledger class="border-line border">
      <thead><tr><th>Table</th><th class="num">Rows</th><th>Form</th></tr></thead>
      <tbody>
        {#each came.tables as { table, written }, i (table)}
          {@const form = came.forms[i]}
          <tr>
            <td><a class="ref" href="/tables/{table}">{coming.titleOf(table)}</a></td>
            <td class="num">{num(written)}</td>
            <td
              >{#if form}<a class="ref" href="/forms/{form.key}/design">{form.title}</a>{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </Ledger>
  </div>
{:else}
  <div
    class={['grid gap-4 rounded', over && 'bg-(--marigold-wash)']}
    role="group"
    aria-label="Files that come in together"
    ondragover={(event) => {
      event.preventDefault();
      over = true;
    }}
    ondragleave={() => (over = false)}
    ondrop={(event) => {
      event.preventDefault();
      over = false;
      choose(event.dataTransfer?.files);
    }}
  >
    <label class="grid gap-1 font-semibold">
      {coming.tables.length === 0 ? say('CSV files or spreadsheets') : say('Add files')}
      <FileInput
        multiple
        accept=".csv,.tsv,.txt,.xlsx,.ods,text/csv"
        class="h-9! max-w-[420px] font-normal"
        onchange={({ currentTarget }) => {
          choose(currentTarget.files);
          currentTarget.value = '';
        }}
      />
      <span class="quiet font-normal">
        {#if coming.tables.length === 0}
          Choose several at once, or drop them here. Each becomes a table; names that stand in
          another one become links. Nothing is written yet.
        {:else}
          {plural(coming.tables.length, ['# file', '# files'])} · proposals come from the data; leave
          any you do not want · nothing is written yet
        {/if}
      </span>
    </label>
    {#each coming.sending as { name, part } (name)}
      <div class="max-w-[420px]">
        {name}
        <Progressbar
          progress={Math.round(part * 100)}
          size="h-1"
          aria-label="{name}, sent so far"
        />
      </div>
    {/each}
    {#if coming.reading}
      <div class="flex items-center gap-3" role="status">
        <Spinner size="5" />{say('Reading the files…')}
      </div>
    {/if}
    <Problems problems={coming.problems} />

    {#if coming.tables.length > 0}
      <div class="flex flex-wrap items-start gap-x-10 gap-y-4">
        <div class="min-w-0 grow">
          <div class="mb-2 flex items-baseline gap-3">
            <h2>How they will be linked</h2>
            <span class="quiet">read left to right</span>
          </div>
          <LinksPicture {coming} />
        </div>
        <dl class="m-0 w-72">
          {#each facts as [name, fact] (name)}
            <div class="border-line-soft flex justify-between border-b py-1">
              <dt class="text-soft">{name}</dt>
              <dd class="m-0">{fact}</dd>
            </div>
          {/each}
        </dl>
      </div>
      <div class="border-line overflow-x-auto border">
        <Ledger>
          <thead>
            <tr>
              <th>Column</th><th>Becomes</th><th>What the data show</th><th>Unique</th>
              <th>Required</th>
            </tr>
          </thead>
          {#each coming.tables as table (`${table.file} ${table.sheet}`)}
            {@const result = coming.looked?.tables.find((one) => one.table === table.key)}
            <tbody>
              <tr class="bg-paper">
                <th colspan="5" class="font-normal">
                  <span class="flex flex-wrap items-center gap-3">
                    <Input
                      class="font-serif w-56! text-[15px] font-semibold"
                      aria-label="Title of the table from {table.name}"
                      bind:value={table.title}
                      maxlength={200}
                    />
                    <span class="quiet">
                      from {table.name} · {plural(table.rows, ['# row', '# rows'])}
                      {#if table.extra.length > 0}
                        · {num(table.extra.length)} added
                      {/if}
                    </span>
                    <Button
                      kind="bare"
                      class="ms-auto px-2"
                      aria-label="Leave {table.name} out"
                      title="Leave {table.name} out"
                      onclick={() => coming.leave(table)}>×</Button
                    >
                  </span>
                </th>
              </tr>
              <ComingColumns {coming} {table} />
              {#if result && result.rejectedRows > 0}
                <tr>
                  <td colspan="5">
                    <p class="text-crimson m-0 mb-1">
                      {num(result.rejectedRows)} of {num(result.rows)} rows cannot be imported. Put them
                      right, and check again.
                    </p>
                    <RejectedRows {coming} {table} {result} />
                  </td>
                </tr>
              {/if}
            </tbody>
          {/each}
        </Ledger>
      </div>
      <div class="flex flex-wrap items-center gap-3">
        <Button loading={coming.under !== null} onclick={() => bring('refuse')}>
          {say(`Import ${tablesSaid}, ${rowsSaid}`)}
          <span class="ms-2 opacity-70">Ctrl ↵</span>
        </Button>
        <Button kind="other" loading={coming.under !== null} onclick={() => bring('check')}>
          Check the rows
        </Button>
        {#if rejected > 0 && rejected < rows}
          <Button kind="other" loading={coming.under !== null} onclick={() => bring('leave_out')}>
            Import the other {num(rows - rejected)} rows
          </Button>
        {/if}
        <Checkbox bind:checked={coming.forms}>Draft a form for each</Checkbox>
        <span class="quiet" role="status">
          {#if coming.under !== null}
            {num(coming.under)} rows…
          {:else if coming.looked && rejected === 0}
            All rows can be imported.
          {:else}
            All rows come in together, or none.
          {/if}
        </span>
      </div>
    {/if}
  </div>
{/if}
