<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { invalidateAll } from '$app/navigation';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { codeBegun, recoveryMade } from '$lib/core/contract/people';
  import type { Problem } from '$lib/core/problems';
  import { Button, Input, Modal } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import PasswordInput from './PasswordInput.svelte';

  interface Props {
    /** Whether a code is asked for already. */
    set: boolean;
  }
  let { set }: Props = $props();

  let open = $state(false);
  let password = $state('');
  let code = $state('');
  let begun = $state.raw<{ secret: string; picture: string } | null>(null);
  let recovery = $state.raw<string[]>([]);
  let problems = $state.raw<Problem[]>([]);

  async function begin() {
    [password, code, begun, recovery, problems] = ['', '', null, [], []];
    open = true;
    if (set) return;
    const called = await call(codeBegun, '/api/account/code', { method: 'POST' });
    if (called.ok) begun = called.value;
    else problems = called.problems;
  }

  async function turnOn(event: SubmitEvent) {
    event.preventDefault();
    const body = { secret: begun?.secret ?? '', code, password };
    const called = await call(recoveryMade, '/api/account/code', { method: 'PUT', body });
    problems = called.ok ? [] : called.problems;
    if (called.ok) recovery = called.value.recovery;
    if (called.ok) await invalidateAll();
  }

  async function turnOff(event: SubmitEvent) {
    event.preventDefault();
    const body = { password };
    const called = await call(nothingWanted, '/api/account/code', { method: 'DELETE', body });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    open = false;
    await invalidateAll();
  }
</script>

<Button kind="other" onclick={begin}>
  {set ? say('Turn off codes') : say('Turn on codes from an app')}
</Button>
<Modal bind:open size="sm" title="Codes from an authenticator app">
  {#if recovery.length > 0}
    <p class="m-0">
      Codes are on. Keep these recovery codes in a safe place: each signs you in once, should you
      lose your phone. You will only see them once.
    </p>
    <ul class="m-0 grid list-none grid-cols-2 gap-1 p-0 font-mono text-[13px]">
      {#each recovery as one (one)}<li><code>{one}</code></li>{/each}
    </ul>
    <div><Button onclick={() => (open = false)}>I have written them down</Button></div>
  {:else if set}
    <form class="grid gap-4" onsubmit={turnOff}>
      <p class="m-0">From then on your password alone signs you in.</p>
      <PasswordInput bind:value={password} label={say('Your password')} />
      <Problems {problems} />
      <div><Button type="submit">Turn off codes</Button></div>
    </form>
  {:else}
    <form class="grid gap-4" onsubmit={turnOn}>
      <p class="m-0">
        Read this picture with your authenticator app, or type the key into it. You will then be
        asked for a code each time you sign in.
      </p>
      {#if begun}
        <div class="flex flex-wrap items-center gap-4">
          <img
            class="size-40 bg-white"
            alt="For the authenticator app"
            src="data:image/svg+xml;utf8,{encodeURIComponent(begun.picture)}"
          />
          <code class="text-[13px] break-all">{begun.secret.replace(/(.{4})/g, '$1 ')}</code>
        </div>
      {/if}
      <label class="grid gap-1 font-semibold">
        Code that the app shows now
        <Input
          class="font-normal"
          bind:value={code}
          autocomplete="one-time-code"
          inputmode="numeric"
          maxlength={20}
          required
        />
      </label>
      <PasswordInput bind:value={password} label={say('Your password')} />
      <Problems {problems} />
      <div><Button type="submit" disabled={!begun}>Turn on codes</Button></div>
    </form>
  {/if}
</Modal>
