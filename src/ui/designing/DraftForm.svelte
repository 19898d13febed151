<script lang="ts">
  import { keySaid } from '$lib/core/contract/answers';
  import { goto, invalidate } from '$app/navigation';
  import { Button, Input, Modal, Select } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    tables: readonly { key: string; title: string }[];
    /** The table to begin with. */
    table?: string;
    open: boolean;
  }
  let { tables, table = '', open = $bindable() }: Props = $props();

  let chosen = $derived(table || (tables[0]?.key ?? ''));
  let title = $state('');
  let problems = $state.raw<Problem[]>([]);

  async function draft(event: SubmitEvent) {
    event.preventDefault();
    const body = { table: chosen, ...(title.trim() ? { title: title.trim() } : {}) };
    const called = await call(keySaid, '/api/forms', { body });
    if (!called.ok) {
      problems = called.problems;
      return;
    }
    open = false;
    await goto(`/forms/${called.value.key}/design`);
    await invalidate('unisor:catalog');
  }
</script>

<Modal bind:open size="sm" title="Draft a form">
  <form class="grid gap-3" onsubmit={draft}>
    <p class="text-soft">
      One field for each column; columns that refer to another table become lookups. You can change
      everything later.
    </p>
    <label class="grid gap-1 font-semibold">
      <span>On the table</span>
      <Select class="font-normal" bind:value={chosen}>
        {#each tables as { key, title } (key)}<option value={key}>{title}</option>{/each}
      </Select>
    </label>
    <label class="grid gap-1 font-semibold">
      Title
      <Input
        class="font-normal"
        bind:value={title}
        placeholder={tables.find((t) => t.key === chosen)?.title}
      />
    </label>
    <Problems {problems} />
    <div><Button type="submit">Draft the form</Button></div>
  </form>
</Modal>
