<script lang="ts">
  import { settlePending } from '$lib/ui/shared/pending';
  import { say } from '$lib/core/words/say';
  import { tableAnswer } from '$lib/core/contract/answers';
  import { goto, invalidate } from '$app/navigation';
  import { Button, Checkbox, Input, Ledger } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom, type Column, type Table } from '$lib/core/table/definition';
  import { plainText } from '$lib/core/values/types';
  import { call } from '$lib/ui/shared/api';
  import { watchUnsaved } from '$lib/ui/shared/unsaved';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import TypeEditor from './TypeEditor.svelte';

  let { tables }: { tables: readonly Table[] } = $props();

  type Drafted = Omit<Column, 'key'> & { shows: boolean };
  const blank = (): Drafted => ({
    label: '',
    type: plainText,
    required: false,
    unique: false,
    shows: false,
  });

  let title = $state('');
  let columns = $state<Drafted[]>([
    { ...blank(), label: say('Name'), required: true, shows: true },
  ]);
  let problems = $state.raw<Problem[]>([]);

  const unsaved = watchUnsaved(() => [title, columns]);

  async function make(event: SubmitEvent) {
    event.preventDefault();
    await settlePending();
    const taken: string[] = [];
    const named = columns.filter((column) => column.label.trim() !== '');
    const keyed = named.map(({ shows, ...column }) => {
      const key = keyFrom(column.label, taken);
      taken.push(key);
      return { shows, column: { ...column, key } };
    });
    const shown = keyed.filter((k) => k.shows).map((k) => k.column.key);
    const key = keyFrom(title || 'table', []);
    const body = {
      key,
      title: title.trim(),
      columns: keyed.map((k) => k.column),
      display: shown.length > 0 ? shown : taken.slice(0, 1),
    };
    const called = await call(tableAnswer, '/api/tables', { body });
    if (!called.ok) {
      problems = called.problems;
      return;
    }
    unsaved.settled();
    await goto(`/tables/${key}`);
    await invalidate('unisor:catalog');
  }
</script>

<form class="grid gap-4" onsubmit={make}>
  <label class="grid max-w-[360px] gap-1 font-semibold">
    Title of the table
    <Input class="font-normal" bind:value={title} required maxlength={200} />
  </label>
  <Ledger class="border-line border">
    <thead>
      <tr>
        <th>Column</th><th>Type</th><th>Required</th><th>Unique</th><th>Shows the record</th>
        <th><span class="sr-only">Steps</span></th>
      </tr>
    </thead>
    <tbody>
      {#each columns as column, i (i)}
        <tr>
          <td>
            <Input aria-label="Name of column {i + 1}" bind:value={column.label} />
          </td>
          <td>
            <TypeEditor
              type={column.type}
              {tables}
              label={column.label || say(`column ${i + 1}`)}
              onchange={(type) => (column.type = type)}
            />
          </td>
          <td><Checkbox aria-label="Required" bind:checked={column.required} /></td>
          <td><Checkbox aria-label="Unique" bind:checked={column.unique} /></td>
          <td><Checkbox aria-label="Shows the record" bind:checked={column.shows} /></td>
          <td class="text-right">
            <Button kind="link" onclick={() => columns.splice(i, 1)}>Remove</Button>
          </td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
  <div>
    <Button kind="link" onclick={() => columns.push(blank())}>+ a column</Button>
  </div>
  <Problems {problems} />
  <div><Button type="submit">Make the table</Button></div>
</form>
