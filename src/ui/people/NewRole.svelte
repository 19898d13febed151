<script lang="ts">
  import { say } from '$lib/core/words/say';
  import type { Role } from '$lib/core/access/role';
  import { roleAnswer } from '$lib/core/contract/people';
  import type { Problem } from '$lib/core/problems';
  import { keyFrom } from '$lib/core/table/definition';
  import { Button, Input, Modal } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    /** The role whose rights it begins with. */
    like: Role;
    onmade: (key: string) => void;
    onclose: () => void;
  }
  let { like, onmade, onclose }: Props = $props();

  let open = $state(true);
  let title = $state('');
  let note = $state('');
  let problems = $state.raw<Problem[]>([]);

  async function make(event: SubmitEvent) {
    event.preventDefault();
    const body = { ...like, title, note, key: keyFrom(title) };
    const called = await call(roleAnswer, '/api/roles', { body });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    open = false;
    onmade(called.value.key);
  }
</script>

<Modal bind:open size="sm" title="Add a role" {onclose}>
  <form class="grid gap-4" onsubmit={make}>
    <label class="grid gap-1 font-semibold">
      Name
      <Input class="font-normal" bind:value={title} maxlength={100} required />
    </label>
    <label class="grid gap-1 font-semibold">
      What these people do
      <Input class="font-normal" bind:value={note} maxlength={500} />
    </label>
    <p class="quiet m-0">{say(`It begins with the rights of “${like.title}”.`)}</p>
    <Problems {problems} />
    <div><Button type="submit">Add role</Button></div>
  </form>
</Modal>
