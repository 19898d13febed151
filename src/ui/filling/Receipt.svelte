<script lang="ts" module>
  /** What a save did, as the server says it. */
  export interface ReceiptData {
    submission: string;
    records: { table: string; title: string; id: number; shown: string; action: string }[];
  }
</script>

<script lang="ts">
  import { Button } from 'flowbite-svelte';

  interface Props {
    receipt: ReceiptData;
    formKey: string;
    title: string;
    onanother: () => void;
    onlike: () => void;
  }
  let { receipt, formKey, title, onanother, onlike }: Props = $props();

  const first = $derived(receipt.records[0]);

  function focus(node: HTMLElement) {
    node.focus();
  }
</script>

<div class="page max-w-[760px]!">
  <div class="tag">{title}</div>
  <h1 class="mt-1 outline-none" tabindex="-1" use:focus role="status">
    <span style="color: var(--moss)">Saved.</span>
    {receipt.records.length === 1
      ? 'One record was written.'
      : `${receipt.records.length} records were written.`}
  </h1>
  <table class="ledger border-line mt-4 border">
    <thead>
      <tr><th>Table</th><th>Record</th><th>What happened</th></tr>
    </thead>
    <tbody>
      {#each receipt.records as record (`${record.table} ${record.id}`)}
        <tr>
          <td class="whitespace-nowrap">{record.title}</td>
          <td
            ><a class="ref" href="/tables/{record.table}/records/{record.id}">{record.shown}</a></td
          >
          <td class="text-soft">added as record {record.id}</td>
        </tr>
      {/each}
    </tbody>
  </table>
  <div class="mt-5 flex flex-wrap gap-3">
    <Button onclick={onanother}>Another one</Button>
    <Button color="light" onclick={onlike}>Another like this</Button>
    {#if first}
      <Button color="light" href="/tables/{first.table}/records/{first.id}">Open it</Button>
    {/if}
    <Button color="light" href="/forms">Back to the forms</Button>
  </div>
  <p class="quiet mt-6">
    Form {formKey} · submission {receipt.submission}
  </p>
</div>
