<script lang="ts">
  import { num, plural, say } from '$lib/core/words/say';
  import { goto, invalidate } from '$app/navigation';
  import { byKeyAnswer, type ByKeyResult } from '$lib/core/contract/answers';
  import type { ImportColumn } from '$lib/core/formats/csv-rows';
  import type { Problem } from '$lib/core/problems';
  import type { Table } from '$lib/core/table/definition';
  import { Button, Checkbox, Ledger } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import { sendFile } from '$lib/ui/shared/files';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { withCorrection, type Correction } from './corrections';
  import RejectedRows from './RejectedRows.svelte';
  import { tellSaved } from '$lib/ui/shared/toasts.svelte';

  interface Props {
    into: Table;
    /** The column that tells which record a row is. */
    by: string;
    file: Blob;
    columns: ImportColumn[];
    delimiter: string;
    /** The number of columns of the file. */
    cells: number;
  }
  let { into, by, file, columns, delimiter, cells }: Props = $props();

  let add = $state(true);
  let change = $state(true);
  let busy = $state(false);
  let problems = $state.raw<Problem[]>([]);
  let told = $state.raw<ByKeyResult | null>(null);
  let corrections = $state.raw<Correction[]>([]);
  /** The file as it was handed in. */
  let handed: string | null = null;

  const counts = $derived(
    told === null
      ? ''
      : [
          say(`${num(told.added)} to add`),
          say(`${num(told.changed)} to change`),
          say(`${num(told.same)} say the same already`),
          say(`${num(told.left)} left alone`),
        ].join(' · '),
  );

  async function bring(check: boolean) {
    if (busy) return;
    [busy, problems] = [true, []];
    if (handed === null) {
      const named = new File([file], 'rows.csv');
      const sent = await sendFile(named, () => {}).done;
      if (sent !== null && 'file' in sent) handed = sent.file;
      else if (sent !== null) problems = [sent];
    }
    if (handed !== null) await ask(handed, check);
    busy = false;
  }

  /** Puts a cell right; what would happen is looked at anew where it is asked for. */
  function correct(correction: Correction) {
    corrections = withCorrection(corrections, correction);
  }

  async function ask(handedIn: string, check: boolean) {
    const body = {
      file: handedIn,
      table: into.key,
      by,
      columns,
      delimiter,
      cells,
      add,
      change,
      corrections,
    };
    const called = await call(byKeyAnswer, '/api/imports/by-key', { body: { ...body, check } });
    if (!called.ok) {
      const rejected = byKeyAnswer.safeParse(called.body.result);
      if (rejected.success) told = rejected.data;
      problems = called.problems;
      return;
    }
    told = called.value;
    const { submission, added, changed } = called.value;
    if (check || submission === null) return;
    await invalidate('unisor:catalog');
    await goto(`/tables/${into.key}`);
    const text = say(`${num(added)} added, ${num(changed)} changed.`);
    tellSaved({ text }, submission, () => void invalidate('unisor:records'));
  }
</script>

<div class="grid gap-3">
  <div class="flex flex-wrap items-center gap-4">
    <Checkbox bind:checked={add} onchange={() => (told = null)}>add rows that are new</Checkbox>
    <Checkbox bind:checked={change} onchange={() => (told = null)}
      >change rows that are there</Checkbox
    >
  </div>
  <Problems {problems} />
  {#if told}
    <p class="m-0" role="status">
      <b>{counts}</b>
      {#if told.rejectedRows > 0}
        · <span class="text-crimson"
          >{plural(told.rejectedRows, ['# row cannot be read', '# rows cannot be read'])}</span
        >
      {/if}
    </p>
    {#key told}
      <RejectedRows title={into.title} result={told} oncorrect={correct} />
    {/key}
    {#if told.steps.length > 0}
      <div class="border-line max-h-96 overflow-auto border">
        <Ledger aria-label="What changes">
          <thead>
            <tr>
              <th class="num">Line</th><th>Record</th><th>Column</th><th>Before</th><th>After</th>
            </tr>
          </thead>
          <tbody>
            {#each told.steps as { line, record, name, changes } (line)}
              {#each changes as { label, before, after }, i (label)}
                <tr class={i > 0 ? '[&>td]:border-t-0' : ''}>
                  <td class="num">{i === 0 ? line : ''}</td>
                  <td>
                    {#if i === 0}<a class="ref" href="/tables/{into.key}/records/{record}">{name}</a
                      >{/if}
                  </td>
                  <td>{label}</td>
                  <td class="text-soft">{before}</td>
                  <td>{after}</td>
                </tr>
              {/each}
            {/each}
          </tbody>
        </Ledger>
      </div>
    {/if}
  {/if}
  <div class="flex gap-3">
    <Button kind="other" loading={busy} onclick={() => bring(true)}>Show what would happen</Button>
    {#if told && told.rejectedRows === 0 && told.added + told.changed > 0}
      <Button loading={busy} onclick={() => bring(false)}>
        {say(`Import: ${num(told.added)} added, ${num(told.changed)} changed`)}
      </Button>
    {/if}
  </div>
</div>
