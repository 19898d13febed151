<script lang="ts">
  import { Button, Ledger } from '$lib/ui/parts';
  import { undoneAnswer, type Receipt } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { plural, say } from '$lib/core/words/say';
  import { unseenRecord } from '$lib/core/words/unseen';
  import { call } from '$lib/ui/shared/api';

  interface Props {
    receipt: Receipt;
    title: string;
    /** Where the person came from: a page of this app. */
    back: string | null;
    /** A guest is done with it: there is nowhere to go on. */
    guest?: boolean;
    /** What is said instead of what was written. */
    thanks?: string | undefined;
    /** What the form says after a save, in words of its own. */
    message?: string;
    onanother: () => void;
    onlike: () => void;
  }
  let {
    receipt,
    title,
    back,
    guest = false,
    thanks,
    message = '',
    onanother,
    onlike,
  }: Props = $props();

  const first = $derived(receipt.records.find(({ action }) => action !== 'deleted'));
  /** Only a page of this app is gone back to. */
  const home = $derived(back !== null && /^\/(?![/\\])/.test(back) ? back : null);
  const words: Record<string, string> = {
    inserted: say('added'),
    changed: say('changed'),
    deleted: say('deleted'),
  };
  /** What came of undoing it: nothing yet, that it is undone, or why not. */
  let undone = $state<Problem | 'undone' | null>(null);

  async function undo() {
    const called = await call(undoneAnswer, `/api/saves/${receipt.submission}/undo`, { body: {} });
    undone = called.ok ? 'undone' : (called.problems[0] ?? null);
  }
  const mostListed = 50;
  const told = $derived(
    receipt.records.length === 0
      ? say('Nothing changed.')
      : plural(receipt.records.length, ['One record was written.', '# records were written.']),
  );

  function focus(node: HTMLElement) {
    node.focus();
  }
</script>

<div class="page max-w-[760px]!">
  <div class="tag">{title}</div>
  <h1 class="mt-1 outline-none" tabindex="-1" use:focus role="status">
    <span style="color: var(--moss)">Saved.</span>
    {thanks || message || (thanks === undefined ? told : say('Thank you.'))}
  </h1>
  {#if thanks === undefined}
    <Ledger class="border-line mt-4 border">
      <thead>
        <tr><th>Table</th><th>Record</th><th>What happened</th></tr>
      </thead>
      <tbody>
        {#each receipt.records.slice(0, mostListed) as record (`${record.table} ${record.id}`)}
          <tr>
            <td class="whitespace-nowrap">{record.title}</td>
            <td>
              {#if record.shown === ''}<span class="text-soft">{unseenRecord()}</span>
              {:else if record.action === 'deleted' || guest}{record.shown}
              {:else}
                <a class="ref" href="/tables/{record.table}/records/{record.id}">{record.shown}</a>
              {/if}
            </td>
            <td class="text-soft">{words[record.action]}</td>
          </tr>
        {/each}
        {#if receipt.records.length > mostListed}
          <tr><td colspan="3" class="quiet">and {receipt.records.length - mostListed} more</td></tr>
        {/if}
      </tbody>
    </Ledger>
  {/if}
  {#if thanks !== undefined}
    <div class="mt-5"><Button onclick={onanother}>Add another one</Button></div>
  {:else if guest}<p class="mt-5">Thank you. You can close this page now.</p>{:else}
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
  {#if undone === 'undone'}
    <p class="mt-4" role="status">This save was undone: everything is as it was before.</p>
  {:else if undone}
    <p class="mt-4" role="alert">
      <span class="text-crimson">{undone.message}</span>
      {undone.hint}
    </p>
  {:else if !guest && receipt.records.length > 0}
    <p class="mt-4"><Button kind="link" onclick={undo}>Undo this save</Button></p>
  {/if}
</div>
