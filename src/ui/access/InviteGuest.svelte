<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { linkAnswer, reachAnswer } from '$lib/core/contract/answers';
  import { Button, Input, Modal, Select, Textarea } from '$lib/ui/parts';
  import type { Reach } from '$lib/core/wiring/guest-reach';
  import type { Problem } from '$lib/core/problems';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  interface Props {
    /** The forms with which the record can be opened. */
    forms: readonly { key: string; title: string }[];
    record?: number;
    /** The key of an outside record. */
    through?: string;
    /** Whether it is a public link, by which anybody adds records. */
    adds?: boolean;
  }
  let { forms, record, through, adds = false }: Props = $props();

  let open = $state(false);
  let form = $derived(forms[0]?.key ?? '');
  let days = $state(7);
  // svelte-ignore state_referenced_locally
  let uses = $state(adds ? 100 : 3);
  let perHour = $state(20);
  let message = $state('');
  let note = $state('');
  let link = $state('');
  let problems = $state.raw<Problem[]>([]);
  let copied = $state(false);
  /** What the form tells a guest besides the record; `null` while it is read. */
  let reach = $state.raw<Reach[] | null>(null);

  $effect(() => {
    if (open && form !== '') void readReach(form);
  });

  async function readReach(of: string) {
    reach = null;
    const called = await call(reachAnswer, `/api/forms/${of}/reach`);
    if (called.ok && of === form) reach = called.value.reach;
  }

  function begin() {
    [link, problems, copied] = ['', [], false];
    open = true;
  }

  async function invite(event: SubmitEvent) {
    event.preventDefault();
    const to = adds
      ? { adds, perHour, message }
      : record === undefined
        ? { key: through }
        : { record };
    const body = { form, ...to, note, days, uses };
    const called = await call(linkAnswer, '/api/invitations', { body });
    problems = called.ok ? [] : called.problems;
    link = called.ok ? called.value.link : '';
  }

  async function copy() {
    await navigator.clipboard.writeText(link);
    copied = true;
  }
</script>

{#if forms.length > 0}
  <Button kind="link" onclick={begin}>{adds ? say('Public link') : say('Invite a guest')}</Button>
{/if}
<Modal
  bind:open
  size="sm"
  title={adds ? say('Public link to add records') : say('Invite a guest to this record')}
>
  {#if link === ''}
    <form class="grid gap-3" onsubmit={invite}>
      {#if forms.length > 1}
        <label class="grid gap-1 font-semibold">
          <span>Form</span>
          <Select class="font-normal" bind:value={form}>
            {#each forms as { key, title } (key)}<option value={key}>{title}</option>{/each}
          </Select>
        </label>
      {/if}
      <label class="grid gap-1 font-semibold">
        Who it is for
        <Input class="font-normal" bind:value={note} maxlength={200} />
      </label>
      <div class="grid grid-cols-2 gap-3">
        <label class="grid gap-1 font-semibold">
          Days it lasts
          <Input class="font-normal" type="number" min="1" max="365" bind:value={days} />
        </label>
        <label class="grid gap-1 font-semibold">
          {adds ? say('Records in all') : say('Saves allowed')}
          <Input
            class="font-normal"
            type="number"
            min="1"
            max={adds ? 100_000 : 1000}
            bind:value={uses}
          />
        </label>
        {#if adds}
          <label class="grid gap-1 font-semibold">
            Records in an hour
            <Input class="font-normal" type="number" min="1" max="10000" bind:value={perHour} />
          </label>
        {/if}
      </div>
      {#if adds}
        <label class="grid gap-1 font-semibold">
          What they read afterwards
          <Input class="font-normal" bind:value={message} maxlength={500} />
        </label>
      {/if}
      {#if reach && reach.length > 0}
        <div>
          <b>What else the form shows and does for them</b>
          <ul class="m-0 max-h-40 list-none overflow-auto p-0">
            {#each reach as { what, which } (what + which)}
              <li>{what} <span class="quiet">· {which}</span></li>
            {/each}
          </ul>
        </div>
      {/if}
      <Problems {problems} />
      <div><Button type="submit">Create link</Button></div>
    </form>
  {:else}
    <div class="grid gap-3">
      <p class="m-0">
        {#if adds}
          Anyone with this link can add a record through this form without signing in, and see
          nothing else. You will only see this link once.
        {:else}
          Anyone with this link can open this one record and save it without signing in. You will
          only see this link once.
        {/if}
      </p>
      <Textarea class="h-24! font-mono text-[12.5px]!" readonly aria-label="Link" value={link}
      ></Textarea>
      <div class="flex items-center gap-3">
        <Button onclick={copy}>Copy the link</Button>
        <span class="quiet" role="status">{copied ? say('Copied.') : ''}</span>
      </div>
    </div>
  {/if}
</Modal>
