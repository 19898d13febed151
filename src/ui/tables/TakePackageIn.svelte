<script lang="ts">
  import { invalidateAll } from '$app/navigation';
  import { num, plural } from '$lib/core/words/say';
  import { takenInAnswer, type TakenIn } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { Button, Checkbox, FileInput, Ledger, Spinner } from '$lib/ui/parts';
  import { sendBytes } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  let file = $state.raw<File | null>(null);
  let drafts = $state(true);
  let busy = $state(false);
  let problems = $state.raw<Problem[]>([]);
  let done = $state.raw<TakenIn | null>(null);

  async function bring(event: SubmitEvent) {
    event.preventDefault();
    if (!file || busy) return;
    [busy, problems] = [true, []];
    const called = await sendBytes(takenInAnswer, `/api/package${drafts ? '?drafts=1' : ''}`, file);
    busy = false;
    if (!called.ok) problems = called.problems;
    else {
      done = called.value;
      await invalidateAll();
    }
  }
</script>

{#if done}
  <div class="grid max-w-[760px] gap-4">
    <p class="m-0">
      {plural(done.tables.length, ['# table imported', '# tables imported'])},
      {plural(done.forms.length, ['# form', '# forms'])}.
    </p>
    <Ledger class="border-line border">
      <thead><tr><th>Table</th><th class="num">Records</th></tr></thead>
      <tbody>
        {#each done.tables as { key, title, rows } (key)}
          <tr>
            <td><a class="ref" href="/tables/{key}">{title}</a></td>
            <td class="num">{num(rows)}</td>
          </tr>
        {/each}
      </tbody>
    </Ledger>
    {#if done.forms.length > 0}
      <Ledger class="border-line border">
        <thead><tr><th>Form</th></tr></thead>
        <tbody>
          {#each done.forms as { key, title } (key)}
            <tr><td><a class="ref" href="/forms/{key}/design">{title}</a></td></tr>
          {/each}
        </tbody>
      </Ledger>
    {/if}
  </div>
{:else}
  <form class="grid max-w-[760px] gap-3" onsubmit={bring}>
    <p class="m-0">
      A Data Package is a zip with a description of its tables and a CSV for each. One taken out of
      Unisor comes back with its lists, forms and views; one made by others with its tables, keys
      and references.
    </p>
    <FileInput
      aria-label="Data Package"
      accept=".zip,application/zip"
      onchange={(event) => (file = event.currentTarget.files?.[0] ?? null)}
    />
    <Checkbox bind:checked={drafts}>Draft a form for each table, where it brings none</Checkbox>
    <Problems {problems} />
    <div class="flex items-center gap-3">
      <Button type="submit" disabled={!file} loading={busy}>Import it</Button>
      {#if busy}<Spinner size="5" />
        <span class="quiet">Either all of it is imported, or nothing.</span>{/if}
    </div>
  </form>
{/if}
