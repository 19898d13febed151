<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { reader } from '$lib/core/words/reader';
  import type { z } from 'zod';
  import { guestAnswer } from '$lib/core/contract/answers';
  import { Spinner } from '$lib/ui/parts';
  import { onMount } from 'svelte';
  import type { Problem } from '$lib/core/problems';
  import { tablesWith } from '$lib/core/table/sources';
  import { formatValue } from '$lib/core/values/format';
  import FillForm from '$lib/ui/filling/FillForm.svelte';
  import ThroughForm from '$lib/ui/filling/ThroughForm.svelte';
  import { call } from '$lib/ui/shared/api';
  import { formulasReady } from '$lib/ui/shared/formulas';
  import Problems from '$lib/ui/shared/Problems.svelte';
  import { makeEffort } from './effort';

  interface Props {
    token: string;
    form: string;
    title: string;
    endsAt: string;
    /** Whether records are added, instead of one opened. */
    adds: boolean;
    usesLeft: number;
    challenge: string;
  }
  let { token, form, title, endsAt, adds, usesLeft, challenge }: Props = $props();

  let opened = $state.raw<z.infer<typeof guestAnswer> | null>(null);
  let left = $derived(usesLeft);
  let problems = $state.raw<Problem[]>([]);
  const at = $derived(`/api/guest/${token}`);
  const tables = $derived(opened && tablesWith(opened.sources));

  onMount(async () => {
    const nonce = await makeEffort(challenge);
    const called = await call(guestAnswer, `${at}/open`, { body: { challenge, nonce } });
    problems = called.ok ? [] : called.problems;
    if (!called.ok) return;
    await formulasReady(called.value.plan, null);
    opened = called.value;
  });
</script>

<div class="flex h-full flex-col">
  <div class="border-line bg-paper flex h-12 shrink-0 items-center gap-4 border-b px-5">
    <span class="font-serif text-[18px] font-semibold">Unisor</span>
    <span class="quiet">
      {#if adds}
        You can add a record here until {formatValue({ kind: 'date_time' }, endsAt, reader())}.
      {:else}
        You have been invited to this record until
        {formatValue({ kind: 'date_time' }, endsAt, reader())}; {left}
        {left === 1 ? say('save is') : say('saves are')} left.
      {/if}
    </span>
  </div>
  <div class="min-h-0 flex-1">
    {#if problems.length > 0}
      <div class="mx-auto max-w-[760px] p-5"><Problems {problems} /></div>
    {:else if !opened || !tables}
      <div class="mx-auto flex max-w-[760px] items-center gap-3 p-5" role="status">
        <Spinner size="5" /> Opening {title} …
      </div>
    {:else if opened.plan.through && opened.through}
      <ThroughForm
        given={{
          formKey: form,
          at,
          plan: { ...opened.plan, through: opened.plan.through },
          edition: opened.edition,
          tables,
          person: { name: 'guest' },
        }}
        opensWith={opened.through.key}
        fixed
      />
    {:else}
      <FillForm
        given={{
          formKey: form,
          at,
          plan: opened.plan,
          edition: opened.edition,
          tables,
          sets: opened.sets,
          opened: opened.opened,
          carried: {},
          person: { name: 'guest' },
          link: {},
          keeps: false,
          guest: true,
          thanks: adds ? opened.message : undefined,
          onleft: (now) => (left = now),
        }}
        draft={null}
        back={null}
      />
    {/if}
  </div>
</div>
