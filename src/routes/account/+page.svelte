<script lang="ts">
  import { nothingWanted } from '$lib/core/contract/answers';
  import { Button } from '$lib/ui/parts';
  import ChangePassword from '$lib/ui/people/ChangePassword.svelte';
  import OwnPasskeys from '$lib/ui/people/OwnPasskeys.svelte';
  import OwnReading from '$lib/ui/people/OwnReading.svelte';
  import OwnTokens from '$lib/ui/people/OwnTokens.svelte';
  import SecondFactor from '$lib/ui/people/SecondFactor.svelte';
  import SessionsLedger from '$lib/ui/people/SessionsLedger.svelte';
  import { call } from '$lib/ui/shared/api';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();
  const { shown, name, email } = $derived(data.account);

  async function signOut() {
    await call(nothingWanted, '/api/sign-out', { method: 'POST' });
    location.assign('/sign-in');
  }
</script>

<svelte:head><title>Your account – Unisor</title></svelte:head>
<div class="headline">
  <h1>{shown}</h1>
  <span class="quiet">
    {data.named.join(', ')} · you sign in as “{name}”{email === '' ? '' : ` · ${email}`}
  </span>
  <Button kind="other" class="ms-auto" onclick={signOut}>Sign out</Button>
</div>
<div class="grid max-w-[860px] gap-8 px-5 pb-8">
  <section class="grid gap-3">
    <h2>Signing in</h2>
    {#if data.account.demo && !data.account.hasPassword}
      <p class="quiet m-0">
        You are one of the people of the demo: you sign in by one click, without a password.
      </p>
    {:else}
      <div class="flex flex-wrap gap-3">
        <ChangePassword />
        <SecondFactor set={data.account.hasCode} />
      </div>
      <OwnPasskeys passkeys={data.passkeys} />
    {/if}
  </section>
  <section class="grid gap-3">
    <h2>Language and time</h2>
    <OwnReading account={data.account} />
  </section>
  <section class="grid gap-3">
    <h2>Where you are signed in</h2>
    <SessionsLedger sessions={data.sessions} />
  </section>
  <section class="grid gap-3">
    <OwnTokens tokens={data.tokens} roles={data.roles} />
  </section>
</div>
