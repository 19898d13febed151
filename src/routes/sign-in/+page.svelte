<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { onMount, tick } from 'svelte';
  import { nothingWanted } from '$lib/core/contract/answers';
  import { problem, type Problem } from '$lib/core/problems';
  import { optionsAnswer, passkeysHere, signWith } from '$lib/ui/people/passkeys';
  import { Button, Input } from '$lib/ui/parts';
  import Entrance from '$lib/ui/people/Entrance.svelte';
  import PasswordInput from '$lib/ui/people/PasswordInput.svelte';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  let name = $state('');
  let password = $state('');
  let code = $state('');
  /** Whether the account asks for a code besides. */
  let asksCode = $state(false);
  // svelte-ignore state_referenced_locally
  let problems = $state.raw<Problem[]>(data.refused);
  let busy = $state(false);
  let codeBox = $state<HTMLInputElement>();
  let passwordBox = $state<HTMLInputElement>();

  async function signIn(event: SubmitEvent) {
    event.preventDefault();
    const body = { name: name.trim(), password, ...(asksCode ? { code } : {}) };
    await enter('/api/sign-in', body);
  }

  /** Where the browser has passkeys, and the address can have any: they belong to a name, not to a number. */
  let canPasskey = $state(false);
  onMount(() => (canPasskey = passkeysHere()));

  async function usePasskey() {
    const begun = await call(optionsAnswer, '/api/sign-in/passkey/begin', { method: 'POST' });
    problems = begun.ok ? [] : begun.problems;
    if (!begun.ok) return;
    const answer = await signWith(begun.value);
    if (answer) await enter('/api/sign-in/passkey', answer);
    else problems = [problem('passkey_refused')];
  }

  async function enter(address: string, body: object) {
    if (busy) return;
    busy = true;
    const called = await call(nothingWanted, address, { body });
    // The whole page anew: nothing of whoever was here before stays.
    if (called.ok) return location.assign(data.to);
    busy = false;
    problems = called.problems;
    const asked = called.problems.some(({ code }) => code === 'code_needed');
    if (asked && !asksCode) [asksCode, problems] = [true, []];
    await tick();
    (asksCode ? codeBox : passwordBox)?.focus();
  }
</script>

<svelte:head><title>Sign in – Unisor</title></svelte:head>

{#snippet people()}
  <div class="flex items-center gap-3">
    <h2>Look around as one of these people</h2>
    <span class="border-marigold text-marigold-deep bg-wash rounded-sm border px-1.5 text-[12px]">
      Demo
    </span>
  </div>
  <p class="quiet mt-1 mb-3">
    One click signs you in. This list is only here in the demo, on this computer: anywhere else,
    everyone signs in with their own name.
  </p>
  <ul class="border-line m-0 list-none border-t p-0">
    {#each data.demo as person (person.name)}
      <li class="border-line flex items-center gap-3 border-b py-2.5">
        <span class="min-w-0 flex-1">
          <b class="block">{person.shown}</b>
          {#each person.roles as { title, note } (title)}
            <span class="quiet block">{title} · {note}</span>
          {/each}
        </span>
        <Button
          kind="other"
          aria-label={say(`Sign in as ${person.shown}`)}
          onclick={() => enter('/api/sign-in/demo', { name: person.name })}>Sign in</Button
        >
      </li>
    {/each}
  </ul>
{/snippet}

<Entrance
  title={say('Sign in')}
  lead={say('To fill in forms and look after the records.')}
  beside={data.demo.length > 0 ? people : undefined}
>
  <form class="grid gap-4" onsubmit={signIn}>
    <label class="grid gap-1 font-semibold">
      Name
      <Input
        class="font-normal"
        bind:value={name}
        autocomplete="username"
        autocapitalize="none"
        spellcheck="false"
        maxlength={100}
        required
      />
    </label>
    <PasswordInput bind:value={password} bind:element={passwordBox} label={say('Password')} />
    {#if asksCode}
      <label class="grid gap-1 font-semibold">
        Code from your authenticator app
        <Input
          class="font-normal"
          bind:value={code}
          bind:element={codeBox}
          autocomplete="one-time-code"
          inputmode="numeric"
          maxlength={40}
          required
        />
        <span class="quiet font-normal">Without your phone, use one of your recovery codes.</span>
      </label>
    {/if}
    <Problems {problems} />
    <Button type="submit" class="w-full" loading={busy}>Sign in</Button>
  </form>
  {#if canPasskey || data.organisation !== null}
    <div class="quiet flex items-center gap-3" aria-hidden="true">
      <span class="border-line flex-1 border-t"></span>or<span class="border-line flex-1 border-t"
      ></span>
    </div>
    <div class="grid gap-2">
      {#if canPasskey}
        <Button kind="other" class="w-full" onclick={usePasskey}>Use a passkey</Button>
      {/if}
      {#if data.organisation !== null}
        <Button
          kind="other"
          class="w-full"
          href={`/sign-in/organisation?to=${encodeURIComponent(data.to)}`}
          data-sveltekit-reload
        >
          Sign in through {data.organisation}
        </Button>
      {/if}
    </div>
  {/if}
  <p class="quiet m-0">No account yet, or forgotten your password? Ask a keeper for a link.</p>
</Entrance>
