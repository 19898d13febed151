<script lang="ts">
  import type { z } from 'zod';
  import { num, plural, say } from '$lib/core/words/say';
  import {
    examinedAnswer,
    idSaid,
    importAnswer,
    type ImportResult,
  } from '$lib/core/contract/answers';
  import { goto, invalidate } from '$app/navigation';
  import { Button, Checkbox, FileInput, Progressbar, Select, Spinner, Ledger } from '$lib/ui/parts';
  import type { ImportColumn } from '$lib/core/formats/csv-rows';
  import type { Problem } from '$lib/core/problems';
  import type { Table } from '$lib/core/table/definition';
  import { call, sendBytes, sendFile } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import BringByKey from './BringByKey.svelte';
  import { withCorrection, type Correction } from './corrections';
  import MatchedBy from './MatchedBy.svelte';
  import PastedRows from './PastedRows.svelte';
  import ReadingSelect from './ReadingSelect.svelte';
  import RejectedRows from './RejectedRows.svelte';

  interface Props {
    tables: readonly Table[];
    /** The table that gets the rows. */
    into: Table;
    /** Whether rows are pasted, or a file is chosen. */
    pasted?: boolean;
  }
  let { tables, into, pasted = false }: Props = $props();

  type Examination = z.infer<typeof examinedAnswer>;
  type Planned = ImportColumn & { included: boolean };

  let file = $state.raw<Blob | null>(null);
  let found = $state.raw<Examination | null>(null);
  let columns = $state<Planned[]>([]);
  let problems = $state.raw<Problem[]>([]);
  let checked = $state.raw<ImportResult | null>(null);
  /** Whether nothing was changed since. */
  let isCurrent = $state(false);
  let busy = $state<string | null>(null);
  let rows = $state(0);
  /** The column by which rows are told that are there already; none, where all are added. */
  let by = $state('');
  let corrections = $state.raw<Correction[]>([]);

  const included = $derived(columns.filter((column) => column.included));

  async function examine(chosen: Blob) {
    file = chosen;
    problems = [];
    checked = null;
    found = null;
    busy = say('Reading the file…');
    const called = await sendBytes(examinedAnswer, '/api/imports/examine', chosen);
    busy = null;
    if (called.ok) take(called.value);
    else problems = called.problems;
  }

  function take(examination: Examination) {
    found = examination;
    corrections = [];
    columns = examination.columns.map((column, i) => {
      const profile = examination.profiles[i]?.name.toLowerCase() ?? '';
      const there = into.columns.find(
        (c) => c.label.toLowerCase() === profile || c.key === column.key,
      );
      const match = there?.type.kind === 'reference' ? firstMatch(there.type.table) : null;
      return { ...column, ...there, match, included: there !== undefined };
    });
  }

  function firstMatch(table: string): string {
    const to = tables.find((t) => t.key === table);
    return to?.columns.find((c) => c.unique)?.key ?? to?.display[0] ?? 'id';
  }

  function definition(rejected: 'refuse' | 'leave_out') {
    return {
      target: { kind: 'existing', table: into.key },
      columns: included.map(({ included: _, ...column }) => column),
      delimiter: found?.delimiter,
      cells: found?.columns.length,
      rejected,
      corrections,
    };
  }

  async function bring(mode: 'check' | 'refuse' | 'leave_out') {
    if (busy !== null) return;
    if (!file) return;
    problems = [];
    rows = 0;
    busy = mode === 'check' ? say('Checking every row…') : say('Importing…');
    const opened = await call(idSaid, '/api/imports', {
      body: definition(mode === 'leave_out' ? 'leave_out' : 'refuse'),
    });
    if (opened.ok) {
      const address = `/api/imports/${opened.value.id}/file${mode === 'check' ? '?check=1' : ''}`;
      const sent = await sendFile(importAnswer, address, file, (n) => (rows = n));
      if (sent.ok && mode !== 'check') {
        await goto(`/tables/${sent.value.table}`);
        return invalidate('unisor:catalog');
      }
      const result = importAnswer.safeParse(sent.ok ? sent.value : sent.body.result);
      // What was found before holds no better where nothing was looked at.
      if (result.success) [checked, isCurrent] = [result.data, true];
      if (!sent.ok) problems = sent.problems;
    } else {
      problems = opened.problems;
    }
    busy = null;
  }

  const rowsOf = (n: number) => plural(n, ['# row', '# rows']);

  function changed() {
    checked = null;
    isCurrent = false;
  }

  /** Puts a cell right; the others that were found wrong stay in sight. */
  function correct(correction: Correction) {
    corrections = withCorrection(corrections, correction);
    isCurrent = false;
  }
</script>

<div class="grid gap-4">
  {#if pasted}
    <PastedRows isRead={found !== null} onread={(text) => examine(new Blob([text]))} />
  {:else}
    <label class="grid gap-1 font-semibold">
      CSV file or spreadsheet
      <FileInput
        accept=".csv,.tsv,.txt,.xlsx,.ods,text/csv"
        class="h-9! max-w-[420px] font-normal"
        onchange={(event) => {
          const chosen = event.currentTarget.files?.[0];
          if (chosen) void examine(chosen);
        }}
      />
      <span class="quiet font-normal">
        Any common delimiter, UTF-8, a line of column names first. Nothing is written yet.
      </span>
    </label>
  {/if}

  {#if busy}
    <div class="flex items-center gap-3" role="status">
      <Spinner size="5" />{busy}
      {#if rows > 0 && found}
        <div class="w-60"><Progressbar progress={Math.min(100, (rows / found.rows) * 100)} /></div>
        {num(rows)} of {num(found.rows)} rows
      {/if}
    </div>
  {/if}
  <Problems {problems} />

  {#if found}
    <div class="quiet">
      {num(found.rows)} rows, {found.columns.length} columns, separated by
      {{ ',': say('commas'), ';': say('semicolons'), '\t': say('tabs'), '|': say('bars') }[
        found.delimiter
      ] ?? found.delimiter}. Nothing is written yet.
    </div>
    <div class="border-line overflow-auto border">
      <Ledger>
        <thead>
          <tr>
            <th>Import</th><th>In the file</th><th>Examples</th>
            <th>Into the column</th><th>Type</th>
          </tr>
        </thead>
        <tbody>
          {#each columns as column, i (column.source)}
            {@const profile = found.profiles[i]}
            <tr class={column.included ? '' : 'opacity-50'}>
              <td>
                <Checkbox
                  aria-label="Import {profile?.name}"
                  bind:checked={column.included}
                  onchange={changed}
                />
              </td>
              <td class="whitespace-nowrap">
                {profile?.name || say('(no name)')}
                <div class="quiet">
                  {num(profile?.filled ?? 0)} filled{profile?.unique ? say(', all different') : ''}
                </div>
              </td>
              <td class="text-soft max-w-[200px] truncate">{profile?.examples.join(', ')}</td>
              <td>
                <Select
                  aria-label="Column for {profile?.name}"
                  value={column.included ? column.key : ''}
                  onchange={(event) => {
                    const there = into.columns.find((c) => c.key === event.currentTarget.value);
                    column.included = there !== undefined;
                    if (there) Object.assign(column, there);
                    column.match =
                      there?.type.kind === 'reference' ? firstMatch(there.type.table) : null;
                    changed();
                  }}
                >
                  <option value="">–</option>
                  {#each into.columns as { key, label } (key)}
                    <option value={key}>{label}</option>
                  {/each}
                </Select>
              </td>
              <td>
                <span class="text-soft">{column.type.kind.replace('_', ' ')}</span>
                {#if column.type.kind === 'reference'}
                  {@const { table: to } = column.type}
                  <MatchedBy
                    {column}
                    label={profile?.name ?? ''}
                    columns={tables.find(({ key }) => key === to)?.columns ?? []}
                    numbered
                    onchange={changed}
                  />
                {/if}
                <ReadingSelect {column} label={profile?.name ?? ''} onchange={changed} />
              </td>
            </tr>
          {/each}
        </tbody>
      </Ledger>
    </div>

    {#if checked}
      <div role="status">
        {#if checked.rejectedRows === 0}
          <span style="color: var(--moss)" class="font-semibold">All rows can be imported.</span>
          {num(checked.rows)} rows were checked.
        {:else}
          <b>{num(checked.rejectedRows)} of {num(checked.rows)} rows</b>
          cannot be imported{checked.rejections.length < checked.rejectedRows
            ? say('; the first are listed')
            : ''}.
        {/if}
      </div>
      {#key checked}
        <RejectedRows title={into.title} result={checked} oncorrect={correct} />
      {/key}
    {/if}

    <label class="flex flex-wrap items-center gap-2">
      <span>Rows that are there already are told by</span>
      <Select class="w-auto!" bind:value={by}>
        <option value="">nothing: every row is added</option>
        {#each included as { key, label } (key)}<option value={key}>{label}</option>{/each}
      </Select>
    </label>
    {#if by !== '' && file}
      {#key by}
        <BringByKey
          {into}
          {by}
          {file}
          columns={included.map(({ included: _, ...column }) => column)}
          delimiter={found.delimiter}
          cells={found.columns.length}
        />
      {/key}
    {:else}
      <div class="flex flex-wrap gap-3">
        <Button
          loading={busy !== null}
          disabled={included.length === 0}
          onclick={() => bring('refuse')}
        >
          Import {rowsOf(found.rows)}
        </Button>
        <Button
          kind="other"
          loading={busy !== null}
          disabled={included.length === 0}
          onclick={() => bring('check')}>Check the rows</Button
        >
        {#if checked && isCurrent && checked.rejectedRows > 0 && checked.rejectedRows < checked.rows}
          <Button kind="other" loading={busy !== null} onclick={() => bring('leave_out')}>
            {plural(checked.rows - checked.rejectedRows, [
              'Import the # good row',
              'Import the # good rows',
            ])}
          </Button>
        {/if}
      </div>
    {/if}
  {/if}
</div>
