<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { onMount } from 'svelte';
  import { invalidateAll } from '$app/navigation';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { problem, type Problem } from '$lib/core/problems';
  import { Button, Input, Ledger } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { makePasskey, optionsAnswer, passkeysHere } from './passkeys';

  interface Props {
    passkeys: readonly { id: string; name: string; madeAt: string; usedAt: string | null }[];
  }
  let { passkeys }: Props = $props();

  let here = $state(false);
  onMount(() => (here = passkeysHere()));
  let name = $state('');
  let problems = $state.raw<Problem[]>([]);

  async function add(event: SubmitEvent) {
    event.preventDefault();
    const begun = await call(optionsAnswer, '/api/account/passkeys/begin', { method: 'POST' });
    problems = begun.ok ? [] : begun.problems;
    if (!begun.ok) return;
    const passkey = await makePasskey(begun.value);
    if (!passkey) return void (problems = [problem('passkey_refused')]);
    const body = { name, passkey };
    const kept = await call(nothingWanted, '/api/account/passkeys', { body });
    problems = kept.ok ? [] : kept.problems;
    if (kept.ok) name = '';
    await invalidateAll();
  }

  async function remove(id: string) {
    const address = `/api/account/passkeys/${encodeURIComponent(id)}`;
    const called = await call(nothingWanted, address, { method: 'DELETE' });
    problems = called.ok ? [] : called.problems;
    await invalidateAll();
  }
</script>

<h3 class="m-0 font-semibold">Passkeys</h3>
<p class="quiet m-0">
  A fingerprint, your face or a security key signs you in, without a password. {here
    ? ''
    : say('This address cannot have passkeys: they belong to a name, such as localhost.')}
</p>
{#if passkeys.length > 0}
  <Ledger class="border-line border">
    <thead>
      <tr>
        <th>Passkey</th><th>Made</th><th>Last used</th>
        <th><span class="sr-only">Actions</span></th>
      </tr>
    </thead>
    <tbody>
      {#each passkeys as passkey (passkey.id)}
        <tr>
          <td>{passkey.name}</td>
          <td class="text-soft">{ago(passkey.madeAt)}</td>
          <td class="text-soft">{passkey.usedAt === null ? say('never') : ago(passkey.usedAt)}</td>
          <td class="text-end">
            <Button kind="link" onclick={() => remove(passkey.id)}>Remove</Button>
          </td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
{/if}
<Problems {problems} />
{#if here}
  <form class="flex flex-wrap items-end gap-3" onsubmit={add}>
    <label class="grid gap-1 font-semibold">
      Name of the passkey
      <Input class="w-56! font-normal" bind:value={name} maxlength={100} required />
    </label>
    <Button kind="other" type="submit">Add a passkey</Button>
  </form>
{/if}
