<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { nothingWanted } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { Button, Input } from '$lib/ui/parts';
  import Entrance from '$lib/ui/people/Entrance.svelte';
  import PasswordInput from '$lib/ui/people/PasswordInput.svelte';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import type { PageProps } from './$types';

  let { data }: PageProps = $props();

  let code = $derived(data.code);
  let name = $state('');
  let shown = $state('');
  let password = $state('');
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);

  async function make(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    const body = { code, name: name.trim(), shown, password };
    const called = await call(nothingWanted, '/api/set-up', { body });
    if (called.ok) return location.assign('/');
    busy = false;
    problems = called.problems;
  }
</script>

<svelte:head><title>First keeper – Unisor</title></svelte:head>

<Entrance
  title={say('Make the first keeper')}
  lead={say(
    'A keeper answers for the data and lets others in. This page closes once there is one.',
  )}
>
  <form class="grid gap-4" onsubmit={make}>
    <label class="grid gap-1 font-semibold">
      Code
      <Input class="font-normal" bind:value={code} autocomplete="off" maxlength={100} required />
      <span class="quiet font-normal">The start command has printed it.</span>
    </label>
    <label class="grid gap-1 font-semibold">
      Your name, as others see it
      <Input class="font-normal" bind:value={shown} autocomplete="name" maxlength={100} required />
    </label>
    <label class="grid gap-1 font-semibold">
      Name to sign in with
      <Input
        class="font-normal"
        bind:value={name}
        autocomplete="username"
        autocapitalize="none"
        maxlength={60}
        required
      />
    </label>
    <PasswordInput bind:value={password} label={say('Password')} fresh />
    <p class="quiet m-0">At least 12 characters; a few words in a row work well.</p>
    <Problems {problems} />
    <Button type="submit" class="w-full" loading={busy}>Make the first keeper</Button>
  </form>
</Entrance>
