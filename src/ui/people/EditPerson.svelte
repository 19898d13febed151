<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { invalidateAll } from '$app/navigation';
  import { nothingWanted } from '$lib/core/contract/answers';
  import {
    accountAnswer,
    accountMade,
    linkMade,
    type AccountLine,
  } from '$lib/core/contract/people';
  import type { Problem } from '$lib/core/problems';
  import { Button, Checkbox, Input, Modal, Select, Textarea } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import RecordPicked from '$lib/ui/shared/RecordPicked.svelte';

  interface Props {
    /** Who is changed; `null` where somebody is added. */
    account: (AccountLine & { stands: string }) | null;
    roles: readonly { key: string; title: string }[];
    tables: readonly { key: string; title: string }[];
    /** The account at the screen. */
    self: number;
    onclose: () => void;
  }
  let { account, roles, tables, self, onclose }: Props = $props();

  let open = $state(true);
  // svelte-ignore state_referenced_locally
  const before = account;
  let shown = $state(before?.shown ?? '');
  let name = $state(before?.name ?? '');
  let email = $state(before?.email ?? '');
  let given = $state.raw<readonly string[]>(before?.roles ?? []);
  let table = $state(before?.link?.table ?? '');
  let record = $state<number | null>(before?.link?.record ?? null);
  let stands = $state(before?.stands ?? '');
  let problems = $state.raw<Problem[]>([]);
  /** A link for the person, shown once. */
  let link = $state('');

  const address = $derived(`/api/people/${account?.id ?? ''}`);

  async function save(event: SubmitEvent) {
    event.preventDefault();
    const to = table !== '' && record !== null ? { table, record } : null;
    const body = { shown, name: name.trim(), email: email.trim(), roles: given, link: to };
    if (account) {
      const called = await call(accountAnswer, address, { method: 'PATCH', body });
      return ended(called.ok ? [] : called.problems);
    }
    const called = await call(accountMade, '/api/people', { body });
    problems = called.ok ? [] : called.problems;
    if (called.ok) link = called.value.link;
    await invalidateAll();
  }

  async function ended(found: Problem[]) {
    problems = found;
    await invalidateAll();
    if (found.length === 0) open = false;
  }

  async function tell(path: string, method: 'POST' | 'PATCH' | 'DELETE', body?: object) {
    const called = await call(nothingWanted, address + path, { method, body });
    await ended(called.ok ? [] : called.problems);
  }

  async function newLink() {
    const called = await call(linkMade, `${address}/welcome`, { method: 'POST' });
    problems = called.ok ? [] : called.problems;
    if (called.ok) link = called.value.link;
  }

  async function look() {
    const called = await call(nothingWanted, `${address}/eyes`, { method: 'POST' });
    if (called.ok) return location.assign('/');
    problems = called.problems;
  }

  function choose(key: string, on: boolean) {
    given = on ? [...given, key] : given.filter((one) => one !== key);
  }
</script>

<Modal bind:open size="md" title={account ? account.shown : say('Add a person')} {onclose}>
  {#if link !== ''}
    <p class="m-0">
      With this link the person chooses a password, within a week. You will only see it once.
    </p>
    <Textarea class="h-20! font-mono text-[12.5px]!" readonly aria-label="Link" value={link}
    ></Textarea>
    <div><Button onclick={() => (open = false)}>Done</Button></div>
  {:else}
    <form class="grid gap-4" onsubmit={save}>
      <div class="grid gap-4 sm:grid-cols-2">
        <label class="grid content-start gap-1 font-semibold">
          Name, as others see it
          <Input class="font-normal" bind:value={shown} maxlength={100} required />
        </label>
        <label class="grid content-start gap-1 font-semibold">
          Name to sign in with
          <Input
            class="font-normal"
            bind:value={name}
            autocapitalize="none"
            maxlength={60}
            required
          />
        </label>
        <label class="grid content-start gap-1 font-semibold">
          E-mail
          <Input class="font-normal" type="email" bind:value={email} maxlength={200} />
        </label>
        <div class="grid content-start gap-1">
          <label class="grid gap-1 font-semibold">
            <span>Stands for a record of</span>
            <Select
              class="font-normal"
              bind:value={table}
              onchange={() => ([record, stands] = [null, ''])}
            >
              <option value="">nothing</option>
              {#each tables as { key, title } (key)}<option value={key}>{title}</option>{/each}
            </Select>
          </label>
          {#if table !== ''}
            {#key table}<RecordPicked {table} bind:record bind:shown={stands} />{/key}
          {/if}
        </div>
      </div>
      <p class="quiet m-0">
        Forms and rights know the person by this record: “person.region” is the region that somebody
        stands for.
      </p>
      <fieldset class="m-0 grid gap-1 border-0 p-0">
        <legend class="mb-1 p-0 font-semibold">Roles</legend>
        <div class="grid gap-1 sm:grid-cols-2">
          {#each roles as { key, title } (key)}
            <Checkbox
              checked={given.includes(key)}
              onchange={(event) => choose(key, event.currentTarget.checked)}>{title}</Checkbox
            >
          {/each}
        </div>
      </fieldset>
      <Problems {problems} />
      <div class="flex flex-wrap items-center gap-x-5 gap-y-2">
        <Button type="submit">{account ? say('Save') : say('Add and get a link')}</Button>
        {#if account && account.id !== self}
          <Button kind="link" onclick={look}>Look through their eyes</Button>
          <Button kind="link" onclick={newLink}>Link for a new password</Button>
          <Button kind="link" onclick={() => tell('/sessions', 'DELETE')}>Sign them out</Button>
          {#if account.state === 'locked'}
            <Button kind="link" onclick={() => tell('', 'PATCH', { state: 'active' })}
              >Unlock</Button
            >
          {:else}
            <Button kind="link" onclick={() => tell('', 'PATCH', { state: 'locked' })}>Lock</Button>
          {/if}
          <Button kind="link" class="text-crimson!" onclick={() => tell('', 'DELETE')}
            >Remove</Button
          >
        {/if}
      </div>
    </form>
  {/if}
</Modal>
