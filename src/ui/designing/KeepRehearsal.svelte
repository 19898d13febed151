<script lang="ts">
  import { longestRehearsalName } from '$lib/core/rehearsal/rehearsal';
  import type { Problem } from '$lib/core/problems';
  import { Button, Input, Modal } from '$lib/ui/parts';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    open: boolean;
    /** Keeps what stands in the live form under a name; gives what refused it. */
    onkeep: (name: string) => Promise<Problem[]>;
  }
  /** Asks for the name under which a filling is kept. */
  let { open = $bindable(), onkeep }: Props = $props();

  const id = $props.id();
  let name = $state('');
  let problems = $state.raw<Problem[]>([]);
  let keeping = $state(false);

  $effect(() => {
    if (open) [name, problems] = ['', []];
  });

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    keeping = true;
    problems = await onkeep(name.trim());
    keeping = false;
    if (problems.length === 0) open = false;
  }
</script>

<Modal bind:open size="md" title="Keep as a rehearsal">
  <form class="grid gap-3" onsubmit={keep}>
    <Problems {problems} />
    <p>
      What stands in the live form is kept with what came of it. It is played again after each
      change of the draft and before each publish. Nothing is written.
    </p>
    <div>
      <label class="tag" for="{id}-name">Name</label>
      <Input
        id="{id}-name"
        bind:value={name}
        maxlength={longestRehearsalName}
        placeholder="Six weeks, two scores"
        required
      />
    </div>
    <div>
      <Button type="submit" loading={keeping} disabled={name.trim() === ''}>Keep it</Button>
    </div>
  </form>
</Modal>
