<script lang="ts">
  import { num, say } from '$lib/core/words/say';
  import {
    idSaid,
    importAnswer,
    importMatchesAnswer,
    type ImportMatches,
    type ImportResult,
  } from '$lib/core/contract/answers';
  import { goto, invalidate } from '$app/navigation';
  import {
    Button,
    Checkbox,
    FileInput,
    Input,
    Progressbar,
    Select,
    Spinner,
    Ledger,
    Textarea,
  } from '$lib/ui/parts';
  import type { ColumnProfile } from '$lib/core/formats/csv-profile';
  import type { ImportColumn } from '$lib/core/formats/csv-rows';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom, type Table } from '$lib/core/table/definition';
  import { call, sendFile } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import BringByKey from './BringByKey.svelte';
  import ColumnEvidence from './ColumnEvidence.svelte';
  import ReadingSelect from './ReadingSelect.svelte';
  import Rejections from './Rejections.svelte';
  import TypeEditor from './TypeEditor.svelte';

  interface Props {
    tables: readonly Table[];
    /** The table that gets the rows; without it a new one is made. */
    into?: Table;
    /** Whether rows are pasted, or a file is chosen. */
    pasted?: boolean;
  }
  let { tables, into, pasted = false }: Props = $props();

  interface Examination {
    delimiter: string;
    rows: number;
    profiles: ColumnProfile[];
    columns: ImportColumn[];
  }
  type Planned = ImportColumn & { included: boolean; shows: boolean };

  let text = $state('');
  let file = $state.raw<Blob | null>(null);
  let title = $state('');
  let found = $state.raw<Examination | null>(null);
  let columns = $state<Planned[]>([]);
  let problems = $state.raw<Problem[]>([]);
  let checked = $state.raw<ImportResult | null>(null);
  let busy = $state<string | null>(null);
  let rows = $state(0);
  /** The column by which rows are told that are there already; none, where all are added. */
  let by = $state('');
  /** By column of the file. */
  let matches = $state.raw<ImportMatches>([]);
  const titleOf = (key: string) => tables.find((table) => table.key === key)?.title ?? key;

  const included = $derived(columns.filter((column) => column.included));

  async function examine(chosen: Blob, name: string) {
    file = chosen;
    problems = [];
    checked = null;
    found = null;
    busy = say('Reading the file…');
    try {
      const response = await fetch('/api/imports/examine', {
        method: 'POST',
        headers: { 'content-type': 'text/csv' },
        body: chosen,
      });
      const body = await response.json();
      if (!response.ok) {
        problems = body.problems;
        return;
      }
      take(body as Examination, name);
    } catch {
      problems = [
        { path: '', code: 'unreachable', message: say('The server is not responding.'), hint: '' },
      ];
    } finally {
      busy = null;
    }
  }

  function take(examination: Examination, name: string) {
    found = examination;
    if (!into) void lookFor(examination);
    if (title === '') title = name.replace(/\.[a-z]+$/i, '').replace(/[_-]+/g, ' ');
    columns = examination.columns.map((column, i) => {
      if (!into) return { ...column, included: true, shows: i === 0 };
      const profile = examination.profiles[i]?.name.toLowerCase() ?? '';
      const there = into.columns.find(
        (c) => c.label.toLowerCase() === profile || c.key === column.key,
      );
      const match = there?.type.kind === 'reference' ? firstMatch(there.type.table) : null;
      return { ...column, ...there, match, included: there !== undefined, shows: false };
    });
  }

  /** Which records the values of each column name that are there already; looked for when a file was read. */
  async function lookFor({ profiles }: Examination) {
    matches = [];
    const lists = profiles.map(({ proposed, distinct, examples }) =>
      ['text', 'option'].includes(proposed.kind) ? (distinct.length > 0 ? distinct : examples) : [],
    );
    const called = await call(importMatchesAnswer, '/api/imports/matches', {
      body: { columns: lists.map((list) => list.slice(0, 500)) },
    });
    if (called.ok) matches = called.value;
  }

  /** Has a column refer to the records that its values name. */
  function refer(column: Planned, { table, column: match }: ImportMatches[number][number]) {
    column.type = { kind: 'reference', table };
    column.match = match;
    changed();
  }

  const proposalsOf = ({ type }: Planned, i: number) =>
    type.kind === 'reference' || into ? [] : (matches[i] ?? []);

  function firstMatch(table: string): string {
    const to = tables.find((t) => t.key === table);
    return to?.columns.find((c) => c.unique)?.key ?? to?.display[0] ?? 'id';
  }

  function definition(rejected: 'refuse' | 'leave_out') {
    const shown = included.filter((column) => column.shows).map((column) => column.key);
    const target = into
      ? { kind: 'existing', table: into.key }
      : {
          kind: 'new',
          key: keyFrom(title || 'table'),
          title: title.trim(),
          display: shown.length > 0 ? shown : included.slice(0, 1).map((c) => c.key),
        };
    return {
      target,
      columns: included.map(({ included: _i, shows: _s, ...column }) => column),
      delimiter: found?.delimiter,
      cells: found?.columns.length,
      rejected,
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
      if (sent.ok) checked = sent.value;
      else {
        problems = sent.problems;
        const result = importAnswer.safeParse(sent.body.result);
        if (result.success) checked = result.data;
      }
    } else {
      problems = opened.problems;
    }
    busy = null;
  }

  const rowsOf = (n: number) => `${num(n)} ${n === 1 ? say('row') : say('rows')}`;

  function changed() {
    checked = null;
  }
</script>

<div class="grid gap-4">
  {#if pasted}
    <label class="grid gap-1 font-semibold">
      Rows with a line of column names, copied from a spreadsheet or typed
      <Textarea
        class="h-32! font-mono font-normal"
        bind:value={text}
        spellcheck="false"
        placeholder="Name, Town"
      ></Textarea>
    </label>
    <div>
      <Button
        kind={found ? 'other' : 'main'}
        disabled={text.trim() === ''}
        onclick={() => examine(new Blob([text]), '')}>Read the rows</Button
      >
    </div>
  {:else}
    <label class="grid gap-1 font-semibold">
      CSV file or spreadsheet
      <FileInput
        accept=".csv,.tsv,.txt,.xlsx,.ods,text/csv"
        class="h-9! max-w-[420px] font-normal"
        onchange={(event) => {
          const chosen = event.currentTarget.files?.[0];
          if (chosen) void examine(chosen, chosen.name);
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
    {#if !into}
      <label class="grid max-w-[360px] gap-1 font-semibold">
        Title of the table
        <Input class="font-normal" bind:value={title} maxlength={200} />
      </label>
    {/if}
    <div class="quiet">
      {num(found.rows)} rows, {found.columns.length} columns, separated by
      {{ ',': say('commas'), ';': say('semicolons'), '\t': say('tabs'), '|': say('bars') }[
        found.delimiter
      ] ?? found.delimiter}. Types are proposed from all rows; correct them before anything is
      written.
    </div>
    <div class="border-line overflow-auto border">
      <Ledger>
        <thead>
          <tr>
            <th>Bring</th><th>In the file</th><th>Examples</th>
            <th>{into ? say('Into the column') : say('Column')}</th><th>Type</th>
            {#if !into}<th>Required</th><th>Unique</th><th>Shows the record</th>{/if}
          </tr>
        </thead>
        <tbody>
          {#each columns as column, i (column.source)}
            {@const profile = found.profiles[i]}
            <tr class={column.included ? '' : 'opacity-50'}>
              <td>
                <Checkbox
                  aria-label="Bring {profile?.name}"
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
                {#if into}
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
                {:else}
                  <Input
                    class="min-w-32"
                    aria-label="Label of {profile?.name}"
                    bind:value={column.label}
                  />
                {/if}
              </td>
              <td>
                {#if into}
                  <span class="text-soft">{column.type.kind.replace('_', ' ')}</span>
                {:else}
                  <TypeEditor
                    type={column.type}
                    links={false}
                    {tables}
                    label={profile?.name ?? ''}
                    distinct={profile?.distinct}
                    onchange={(type) => {
                      const [best] = matches[i] ?? [];
                      const begins = type.kind === 'reference' && column.type.kind !== 'reference';
                      if (begins && best) return refer(column, best);
                      column.type = type;
                      column.match = type.kind === 'reference' ? firstMatch(type.table) : null;
                      changed();
                    }}
                  />
                {/if}
                {#if profile && !into && column.type.kind !== 'reference'}
                  <div class="text-soft mt-1 text-[12.5px]">
                    <ColumnEvidence {profile} {column} onchange={changed} />
                  </div>
                {/if}
                {#each proposalsOf(column, i) as match (match.table + match.column)}
                  <div class="mt-1 text-[12.5px]">
                    {num(match.matching)} of {num(match.values)} are in {titleOf(match.table)}.
                    <Button kind="link" onclick={() => refer(column, match)}>
                      Refer to {titleOf(match.table)}
                    </Button>
                    {#if match.missing.length > 0}
                      <span class="quiet">Not there: {match.missing.join(', ')}</span>
                    {/if}
                  </div>
                {/each}
                {#if column.type.kind === 'reference'}
                  {@const to = tables.find(
                    (t) => t.key === (column.type as { table: string }).table,
                  )}
                  <label class="quiet mt-1 flex items-center gap-2">
                    <span>matched by</span>
                    <Select
                      class="w-auto!"
                      aria-label="Column that {profile?.name} is matched by"
                      bind:value={column.match}
                      onchange={changed}
                    >
                      {#each to?.columns ?? [] as { key, label } (key)}
                        <option value={key}>{label}</option>
                      {/each}
                      <option value="id">record number</option>
                    </Select>
                  </label>
                {/if}
                <ReadingSelect {column} onchange={changed} />
              </td>
              {#if !into}
                <td>
                  <Checkbox
                    aria-label="{profile?.name} is required"
                    bind:checked={column.required}
                    onchange={changed}
                  />
                </td>
                <td>
                  <Checkbox
                    aria-label="{profile?.name} is unique"
                    bind:checked={column.unique}
                    onchange={changed}
                  />
                </td>
                <td>
                  <Checkbox
                    aria-label="{profile?.name} shows the record"
                    bind:checked={column.shows}
                  />
                </td>
              {/if}
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
      <Rejections rejections={checked.rejections} />
    {/if}

    {#if into}
      <label class="flex flex-wrap items-center gap-2">
        <span>Rows that are there already are told by</span>
        <Select class="w-auto!" bind:value={by}>
          <option value="">nothing: every row is added</option>
          {#each included as { key, label } (key)}<option value={key}>{label}</option>{/each}
        </Select>
      </label>
    {/if}
    {#if into && by !== '' && file}
      {#key by}
        <BringByKey
          {into}
          {by}
          {file}
          columns={included.map(({ included: _i, shows: _s, ...column }) => column)}
          delimiter={found.delimiter}
          cells={found.columns.length}
        />
      {/key}
    {:else}<div class="flex gap-3">
        <Button
          kind="other"
          loading={busy !== null}
          disabled={included.length === 0}
          onclick={() => bring('check')}>Check the rows</Button
        >
        {#if checked && checked.rejectedRows > 0}
          <Button
            loading={busy !== null}
            disabled={checked.rejectedRows === checked.rows}
            onclick={() => bring('leave_out')}
          >
            Bring in the other {rowsOf(checked.rows - checked.rejectedRows)}
          </Button>
        {:else}
          <Button
            loading={busy !== null}
            disabled={included.length === 0 || (!into && title.trim() === '')}
            onclick={() => bring('refuse')}
          >
            Bring in {rowsOf(found.rows)}
          </Button>
        {/if}
      </div>{/if}
  {/if}
</div>
