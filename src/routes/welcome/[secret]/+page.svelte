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

  let password = $state('');
  let problems = $state.raw<Problem[]>([]);
  let busy = $state(false);

  async function choose(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    const body = { password };
    const called = await call(nothingWanted, `/api/welcome/${data.secret}`, { body });
    if (called.ok) return location.assign('/');
    busy = false;
    problems = called.problems;
  }
</script>

<svelte:head><title>Choose a password – Unisor</title></svelte:head>

<Entrance
  title={say(`Welcome, ${data.shown}`)}
  lead={say('Choose a password. From then on you sign in with it.')}
>
  <form class="grid gap-4" onsubmit={choose}>
    <label class="grid gap-1 font-semibold">
      Name to sign in with
      <Input class="font-normal" value={data.name} autocomplete="username" readonly />
    </label>
    <PasswordInput bind:value={password} label={say('New password')} fresh />
    <p class="quiet m-0">At least 12 characters; a few words in a row work well.</p>
    <Problems {problems} />
    <Button type="submit" class="w-full" loading={busy}>Save password and sign in</Button>
  </form>
</Entrance>
