<script lang="ts">
  import { settlePending } from '$lib/ui/shared/pending';
  import { num, plural, say } from '$lib/core/words/say';
  import { goto, invalidate } from '$app/navigation';
  import type { ImportedTogether } from '$lib/core/contract/answers';
  import type { Table } from '$lib/core/table/definition';
  import { Button, Checkbox, FileInput, Input, Ledger, Progressbar, Spinner } from '$lib/ui/parts';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { tell } from '$lib/ui/shared/toasts.svelte';
  import ComingColumns from './ComingColumns.svelte';
  import LinksPicture from './LinksPicture.svelte';
  import PastedRows from './PastedRows.svelte';
  import RejectedRows from './RejectedRows.svelte';
  import { ComingTogether, type ComingTable } from './together.svelte';

  interface Props {
    tables: readonly Table[];
    /** Whether rows are pasted, or files are chosen. */
    pasted?: boolean;
  }
  let { tables, pasted = false }: Props = $props();

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
  const links = $derived(columns.filter(({ match }) => match !== null).length);
  const facts = $derived([
    [say('Links between tables'), num(links)],
    [say('Unique columns'), num(columns.filter(({ unique }) => unique).length)],
    [say('Names to settle'), unsettled === 0 ? say('none') : num(unsettled)],
    [
      say('Rows held back'),
      coming.isCurrent ? (rejected === 0 ? say('none') : num(rejected)) : say('not checked yet'),
    ],
  ]);

  const separated = $derived<Record<string, string>>({
    ',': say('separated by commas'),
    ';': say('separated by semicolons'),
    '\t': say('separated by tabs'),
    '|': say('separated by bars'),
  });
  const isText = ({ name, distinctOf }: ComingTable) =>
    distinctOf === null && /\.(csv|tsv|txt)$/i.test(name);
  const tablesSaid = $derived(plural(coming.tables.length, ['# table', '# tables']));
  const rowsSaid = $derived(plural(rows, ['# row', '# rows']));

  async function bring(mode: 'check' | 'refuse' | 'leave_out') {
    await settlePending();
    const done = await coming.bring(mode);
    if (!done) return;
    await invalidate('unisor:catalog');
    const [first, second] = done.tables;
    if (!first || second) {
      came = done;
      return;
    }
    const [form] = done.forms;
    const link = form && { label: form.title, href: `/forms/${form.key}/design` };
    const drafted = form ? say('A form is drafted:') : '';
    await goto(`/tables/${first.table}`);
    tell({
      text: `${plural(first.written, ['# row imported.', '# rows imported.'])} ${drafted}`.trim(),
      link,
    });
  }

  /** Moves to the next text that is still to be put right. */
  function toNext() {
    const left = [...document.querySelectorAll<HTMLInputElement>('input[data-settle]')];
    const at = left.indexOf(document.activeElement as HTMLInputElement);
    const next = left[at + 1] ?? left[0];
    next?.focus();
    next?.select();
  }

  function choose(files: FileList | null | undefined) {
    if (files && files.length > 0) void coming.add([...files]);
  }
</script>

<svelte:window
  onkeydown={(event) => {
    if (coming.tables.length === 0 || came) return;
    if (event.altKey && event.key.toLowerCase() === 'n') {
      event.preventDefault();
      toNext();
    }
    if (event.key !== 'Enter' || !event.ctrlKey) return;
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
    {#if pasted}
      <PastedRows
        isRead={coming.tables.length > 0}
        busy={coming.reading}
        onread={(text) => coming.paste(text)}
      />
    {:else}
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
        {#if coming.tables.length === 0}
          <span class="quiet font-normal">
            Choose one or several, or drop them here. Each becomes a table; names that stand in
            another one become links. Nothing is written yet.
          </span>
        {/if}
      </label>
    {/if}
    {#if coming.tables.length > 0}
      <span class="quiet flex items-center gap-3">
        <span>
          {plural(coming.tables.length, ['# table', '# tables'])} · proposals come from the data; leave
          any you do not want · nothing is written yet
        </span>
        <Button kind="other" disabled={!coming.canUndo} onclick={() => coming.undo()}>Undo</Button>
      </span>
    {/if}
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
      <div
        class={[
          'flex flex-wrap items-start gap-x-10 gap-y-4',
          coming.tables.length === 1 && links === 0 && 'hidden',
        ]}
      >
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
              <th>Required</th><th>Shows the record</th>
            </tr>
          </thead>
          {#each coming.tables as table (table.key)}
            {@const result = coming.looked?.tables.find((one) => one.table === table.key)}
            <tbody>
              <tr class="bg-paper">
                <th colspan="6" class="font-normal">
                  <span class="flex flex-wrap items-center gap-3">
                    <Input
                      class="font-serif w-56! text-[15px] font-semibold"
                      aria-label="Title of the table from {table.name}"
                      bind:value={table.title}
                      onchange={() => coming.retitle(table)}
                      maxlength={200}
                    />
                    <span class="quiet">
                      from {table.name} · {plural(table.rows, ['# row', '# rows'])}
                      {#if isText(table)}· {separated[table.delimiter] ?? ''}{/if}
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
                  <td colspan="6">
                    <p class="text-crimson m-0 mb-1">
                      {num(result.rejectedRows)} of {num(result.rows)} rows cannot be imported. Put them
                      right, and check again.
                    </p>
                    {#key result}
                      <RejectedRows
                        title={table.title}
                        {result}
                        oncorrect={(correction) => coming.correct(table, correction)}
                      />
                    {/key}
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
        {#if coming.isCurrent && rejected > 0 && rejected < rows}
          <Button kind="other" loading={coming.under !== null} onclick={() => bring('leave_out')}>
            {plural(rows - rejected, ['Import the # good row', 'Import the # good rows'])}
          </Button>
        {/if}
        <Checkbox bind:checked={coming.forms}>
          {coming.tables.length === 1 ? say('Draft a form for it') : say('Draft a form for each')}
        </Checkbox>
        <span class="quiet" role="status">
          {#if coming.under !== null}
            {num(coming.under)} rows…
          {:else if coming.isCurrent && rejected === 0}
            All rows can be imported.
          {:else}
            All rows come in together, or none.
          {/if}
        </span>
        {#if unsettled + (coming.isCurrent ? rejected : 0) > 0}
          <span class="quiet ms-auto">Next to settle <kbd>Alt N</kbd></span>
        {/if}
      </div>
    {/if}
  </div>
{/if}
