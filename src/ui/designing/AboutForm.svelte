<script lang="ts">
  import { goto, invalidate } from '$app/navigation';
  import { keySaid, nothingWanted } from '$lib/core/contract/answers';
  import type { Plan } from '$lib/core/plan/schema';
  import type { Problem } from '$lib/core/problems';
  import { plural, say } from '$lib/core/words/say';
  import { Button, Input, Modal, Textarea } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { tell } from '$lib/ui/shared/toasts.svelte';

  interface Props {
    formKey: string;
    plan: Plan;
    edition: number;
    open: boolean;
    onedit: (edit: (plan: Plan) => Plan) => void;
  }
  let { formKey, plan, edition, open = $bindable(), onedit }: Props = $props();

  let problems = $state.raw<Problem[]>([]);
  let removing = $state(false);

  function rename(title: string) {
    const wanted = title.trim();
    if (wanted !== '' && wanted !== plan.title) onedit((p) => ({ ...p, title: wanted }));
  }

  function describe(description: string) {
    const wanted = description.trim();
    if (wanted !== (plan.description ?? '')) onedit((p) => ({ ...p, description: wanted }));
  }

  async function copy() {
    const title = `${plan.title} (${say('copy')})`.slice(0, 200);
    const body = { table: plan.table, plan: { ...plan, title } };
    const called = await call(keySaid, '/api/forms', { body });
    if (!called.ok) return void (problems = called.problems);
    open = false;
    await goto(`/forms/${called.value.key}/design`);
    await invalidate('unisor:catalog');
  }

  async function remove() {
    const called = await call(nothingWanted, `/api/forms/${formKey}`, { method: 'DELETE' });
    if (!called.ok) return void (problems = called.problems);
    open = false;
    tell({ text: `${plan.title}: ${say('the form was removed.')}` });
    await goto('/forms');
    await invalidate('unisor:catalog');
  }
</script>

<Modal bind:open size="sm" title="About this form" onclose={() => (removing = false)}>
  <div class="grid gap-4">
    <Problems {problems} />
    <label class="grid gap-1 font-semibold">
      Title
      <Input
        class="font-normal"
        maxlength={200}
        value={plan.title}
        onchange={(event) => rename(event.currentTarget.value)}
      />
    </label>
    <label class="grid gap-1 font-semibold">
      Description
      <Textarea
        class="h-20! font-normal"
        maxlength={2000}
        placeholder="What it is for; shown under the title"
        value={plan.description ?? ''}
        onchange={(event) => describe(event.currentTarget.value)}
      />
    </label>
    {#if removing}
      <p role="alert">
        Remove “{plan.title}”{edition > 0
          ? ` ${say(`with its ${plural(edition, ['# edition', '# editions'])}`)}`
          : ''}? The records it wrote stay. This cannot be undone.
      </p>
      <div class="flex gap-3">
        <Button onclick={remove}>Remove the form</Button>
        <Button kind="other" onclick={() => (removing = false)}>Cancel</Button>
      </div>
    {:else}
      <div class="flex gap-3">
        <Button kind="other" onclick={copy}>Copy this form</Button>
        <Button kind="other" onclick={() => (removing = true)}>Remove…</Button>
      </div>
    {/if}
  </div>
</Modal>
