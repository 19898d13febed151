<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { invalidateAll } from '$app/navigation';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { tokenMade } from '$lib/core/contract/people';
  import type { Problem } from '$lib/core/problems';
  import { formatValue } from '$lib/core/values/format';
  import { reader } from '$lib/core/words/reader';
  import { Button, Input, Ledger, Modal, Select, Textarea } from '$lib/ui/parts';
  import { ago } from '$lib/ui/shared/ago';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    tokens: readonly {
      id: string;
      name: string;
      role: string;
      endsAt: string;
      usedAt: string | null;
    }[];
    /** The roles that a token can be given. */
    roles: readonly { key: string; title: string }[];
  }
  let { tokens, roles }: Props = $props();

  let open = $state(false);
  let name = $state('');
  let role = $derived(roles[0]?.key ?? '');
  let days = $state(90);
  let token = $state('');
  let problems = $state.raw<Problem[]>([]);

  function begin() {
    [name, days, token, problems] = ['', 90, '', []];
    open = true;
  }

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const called = await call(tokenMade, '/api/tokens', { body: { name, role, days } });
    problems = called.ok ? [] : called.problems;
    if (called.ok) token = called.value.token;
    await invalidateAll();
  }

  async function end(id: string) {
    const called = await call(nothingWanted, `/api/tokens/${id}`, { method: 'DELETE' });
    problems = called.ok ? [] : called.problems;
    await invalidateAll();
  }
</script>

<div class="flex flex-wrap items-center gap-3">
  <h2>Tokens for programs</h2>
  <Button kind="other" class="ms-auto" onclick={begin} disabled={roles.length === 0}>
    Make a token
  </Button>
</div>
<p class="quiet m-0">
  A program that shows a token may do what the token’s role may do. <a
    class="textlink"
    href="/account/api">What programs can ask</a
  >
</p>
{#if !open}<Problems {problems} />{/if}
{#if tokens.length > 0}
  <Ledger class="border-line border">
    <thead>
      <tr>
        <th>For</th><th>Role</th><th>Last used</th><th>Ends</th>
        <th><span class="sr-only">Actions</span></th>
      </tr>
    </thead>
    <tbody>
      {#each tokens as one (one.id)}
        <tr>
          <td>{one.name}</td>
          <td>{one.role}</td>
          <td class="text-soft">{one.usedAt === null ? say('never') : ago(one.usedAt)}</td>
          <td class="text-soft"
            >{formatValue({ kind: 'date' }, one.endsAt.slice(0, 10), reader())}</td
          >
          <td class="text-end"><Button kind="link" onclick={() => end(one.id)}>End</Button></td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
{/if}
<Modal bind:open size="sm" title="Make a token">
  {#if token === ''}
    <form class="grid gap-4" onsubmit={make}>
      <label class="grid gap-1 font-semibold">
        What it is for
        <Input class="font-normal" bind:value={name} maxlength={100} required />
      </label>
      <label class="grid gap-1 font-semibold">
        <span>Role</span>
        <Select class="font-normal" bind:value={role}>
          {#each roles as { key, title } (key)}<option value={key}>{title}</option>{/each}
        </Select>
      </label>
      <label class="grid gap-1 font-semibold">
        Days it lasts
        <Input class="font-normal" type="number" min="1" max="730" bind:value={days} />
      </label>
      <Problems {problems} />
      <div><Button type="submit">Make a token</Button></div>
    </form>
  {:else}
    <p class="m-0">Give this token to the program. You will only see it once.</p>
    <Textarea class="h-20! font-mono text-[12.5px]!" readonly aria-label="Token" value={token}
    ></Textarea>
    <div><Button onclick={() => (open = false)}>Done</Button></div>
  {/if}
</Modal>
