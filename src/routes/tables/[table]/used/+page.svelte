<script lang="ts">
  import { nothingWanted } from '$lib/core/contract/answers';
  import { goto, invalidate } from '$app/navigation';
  import { Button, Modal, Ledger } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import UseList from '$lib/ui/tables/UseList.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  let problems = $state.raw<Problem[]>([]);
  let asking = $state(false);

  async function remove() {
    asking = false;
    const called = await call(nothingWanted, `/api/tables/${data.table.key}`, { method: 'DELETE' });
    if (!called.ok) {
      problems = called.problems;
      return;
    }
    await goto('/tables');
    await invalidate('unisor:catalog');
  }
</script>

<div class="grid gap-5 px-5 pb-6">
  <Ledger class="border-line border">
    <thead><tr><th>Used by</th><th>How</th></tr></thead>
    <tbody>
      {#each data.forms as form (form.key)}
        <tr>
          <td>Form <a class="ref" href="/forms/{form.key}/design">{form.title}</a></td>
          <td><UseList {form} /></td>
        </tr>
      {/each}
      {#each data.referring as from (`t ${from.key} ${from.column}`)}
        <tr>
          <td>Table <a class="ref" href="/tables/{from.key}">{from.title}</a></td>
          <td>refers to it with {from.column}</td>
        </tr>
      {/each}
      {#if data.forms.length + data.referring.length === 0}
        <tr><td colspan="2" class="text-soft">Nothing uses this table yet.</td></tr>
      {/if}
    </tbody>
  </Ledger>
  <Problems {problems} />
  <div>
    <Button kind="other" onclick={() => (asking = true)}>Remove the table</Button>
  </div>
</div>

<Modal bind:open={asking} size="xs" title="Remove {data.table.title}?">
  <p>The table goes with all its records. This cannot be undone.</p>
  <div class="flex gap-3">
    <Button onclick={remove}>Remove it</Button>
    <Button kind="other" onclick={() => (asking = false)}>Keep it</Button>
  </div>
</Modal>
