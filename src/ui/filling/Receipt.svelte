<script lang="ts">
  import { Button, Ledger } from '$lib/ui/parts';
  import type { Receipt } from '$lib/core/contract/answers';

  interface Props {
    receipt: Receipt;
    formKey: string;
    title: string;
    /** Where the person came from: a page of this app. */
    back: string | null;
    /** A guest is done with it: there is nowhere to go on. */
    guest?: boolean;
    onanother: () => void;
    onlike: () => void;
  }
  let { receipt, formKey, title, back, guest = false, onanother, onlike }: Props = $props();

  const first = $derived(receipt.records.find(({ action }) => action !== 'deleted'));
  /** Only a page of this app is gone back to. */
  const home = $derived(back !== null && /^\/(?![/\\])/.test(back) ? back : null);
  const words: Record<string, string> = {
    inserted: 'added as',
    changed: 'changed,',
    deleted: 'deleted,',
  };
  const mostListed = 50;
  const told = $derived(
    receipt.records.length === 1 ? 'One record was' : `${receipt.records.length} records were`,
  );

  function focus(node: HTMLElement) {
    node.focus();
  }
</script>

<div class="page max-w-[760px]!">
  <div class="tag">{title}</div>
  <h1 class="mt-1 outline-none" tabindex={-1} use:focus role="status">
    <span style="color: var(--moss)">Saved.</span>
    {receipt.records.length === 0 ? 'Nothing changed.' : `${told} written.`}
  </h1>
  <Ledger class="border-line mt-4 border">
    <thead>
      <tr><th>Table</th><th>Record</th><th>What happened</th></tr>
    </thead>
    <tbody>
      {#each receipt.records.slice(0, mostListed) as record (`${record.table} ${record.id}`)}
        <tr>
          <td class="whitespace-nowrap">{record.title}</td>
          <td>
            {#if record.action === 'deleted' || guest}{record.shown}
            {:else}
              <a class="ref" href="/tables/{record.table}/records/{record.id}">{record.shown}</a>
            {/if}
          </td>
          <td class="text-soft">{words[record.action]} record {record.id}</td>
        </tr>
      {/each}
      {#if receipt.records.length > mostListed}
        <tr><td colspan="3" class="quiet">and {receipt.records.length - mostListed} more</td></tr>
      {/if}
    </tbody>
  </Ledger>
  {#if guest}<p class="mt-5">Thank you. You can close this page now.</p>{:else}
    <div class="mt-5 flex flex-wrap gap-3">
      <Button onclick={onanother}>Another one</Button>
      <Button kind="other" onclick={onlike}>Another one like this</Button>
      {#if first}
        <Button kind="other" href="/tables/{first.table}/records/{first.id}">Open it</Button>
      {/if}
      {#if home}
        <Button kind="other" href={home}>Go back</Button>
      {:else}
        <Button kind="other" href="/forms">Back to the forms</Button>
      {/if}
    </div>
  {/if}
  <p class="quiet mt-6">
    Form {formKey} · submission {receipt.submission}
  </p>
</div>
