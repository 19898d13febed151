<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { nothingWanted } from '$lib/core/contract/answers';
  import type { Problem } from '$lib/core/problems';
  import { Button, Modal } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { tell } from '$lib/ui/shared/toasts.svelte';
  import PasswordInput from './PasswordInput.svelte';

  let open = $state(false);
  let current = $state('');
  let password = $state('');
  let problems = $state.raw<Problem[]>([]);

  function begin() {
    [current, password, problems] = ['', '', []];
    open = true;
  }

  async function change(event: SubmitEvent) {
    event.preventDefault();
    const body = { current, password };
    const called = await call(nothingWanted, '/api/account/password', { method: 'PUT', body });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    open = false;
    tell({ text: say('Password changed. Every other session has ended.') });
  }
</script>

<Button kind="other" onclick={begin}>Change password</Button>
<Modal bind:open size="sm" title="Change your password">
  <form class="grid gap-4" onsubmit={change}>
    <PasswordInput bind:value={current} label={say('Current password')} />
    <PasswordInput bind:value={password} label={say('New password')} fresh />
    <p class="quiet m-0">At least 12 characters; a few words in a row work well.</p>
    <Problems {problems} />
    <div><Button type="submit">Change password</Button></div>
  </form>
</Modal>
