<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import { Button, Ledger } from '$lib/ui/parts';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { invalidateAll } from '$app/navigation';
  import type { Invitation } from '$lib/core/access/invitation';
  import type { Problem } from '$lib/core/problems';
  import { formatValue } from '$lib/core/values/format';
  import { call } from '$lib/ui/shared/api';
  import FormLink from '$lib/ui/shared/FormLink.svelte';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    invitations: readonly (Invitation & { named: string })[];
  }
  let { invitations }: Props = $props();

  let problems = $state.raw<Problem[]>([]);

  function stateOf({ revokedAt, endsAt, uses, used }: Props['invitations'][number]): string {
    if (revokedAt !== null) return say('revoked');
    if (Date.parse(endsAt) < Date.now()) return say('ended');
    return used >= uses ? say('used up') : say('open');
  }

  async function revoke(id: string) {
    const called = await call(nothingWanted, `/api/invitations/${id}`, { method: 'DELETE' });
    problems = called.ok ? [] : called.problems;
    await invalidateAll();
  }
</script>

<Problems {problems} />
<Ledger class="border-line border">
  <thead>
    <tr>
      <th>For</th><th>Form</th><th>Record</th><th>Ends</th><th class="num">Saves</th><th>State</th>
      <th>By</th><th><span class="sr-only">Steps</span></th>
    </tr>
  </thead>
  <tbody>
    {#each invitations as invitation (invitation.id)}
      {@const { id, form, record, named, key, note, endsAt, uses, used, by } = invitation}
      <tr>
        <td>{note || '–'}</td>
        <td><FormLink {form} /></td>
        <td>{record === null ? (key ?? say('new ones')) : named || '–'}</td>
        <td class="text-soft">{formatValue({ kind: 'date_time' }, endsAt, reader())}</td>
        <td class="num">{used} of {uses}</td>
        <td>{stateOf(invitation)}</td>
        <td class="text-soft">{by}</td>
        <td class="text-right">
          {#if stateOf(invitation) === 'open'}
            <Button kind="link" onclick={() => revoke(id)}>Revoke</Button>
          {/if}
        </td>
      </tr>
    {/each}
  </tbody>
</Ledger>
