<script lang="ts">
  import { accountAnswer, type AccountLine } from '$lib/core/contract/people';
  import type { Problem } from '$lib/core/problems';
  import { ownLanguages } from '$lib/core/words/reader';
  import { Select } from '$lib/ui/parts';
  import { call } from '$lib/ui/shared/api';
  import Problems from '$lib/ui/shared/Problems.svelte';

  let { account }: { account: AccountLine } = $props();

  // svelte-ignore state_referenced_locally
  let language = $state(account.language ?? '');
  // svelte-ignore state_referenced_locally
  let zone = $state(account.zone ?? '');
  let problems = $state.raw<Problem[]>([]);
  const zones = Intl.supportedValuesOf('timeZone');

  /** A language as those call it who speak it. */
  function called(tag: string): string {
    return new Intl.DisplayNames(tag, { type: 'language' }).of(tag) ?? tag;
  }

  async function keep() {
    const body = { language: language || null, zone: zone || null };
    const kept = await call(accountAnswer, '/api/account', { method: 'PATCH', body });
    problems = kept.ok ? [] : kept.problems;
    // Every word and every day of the page is written anew.
    if (kept.ok) location.reload();
  }
</script>

<div class="flex flex-wrap gap-4">
  <label class="grid gap-1 font-semibold">
    <span>Language, and how days and numbers are written</span>
    <Select class="w-64 font-normal" bind:value={language} onchange={keep}>
      <option value="">As my browser asks</option>
      {#each ownLanguages as tag (tag)}<option value={tag} lang={tag}>{called(tag)}</option>{/each}
    </Select>
  </label>
  <label class="grid gap-1 font-semibold">
    <span>Time zone</span>
    <Select class="w-64 font-normal" bind:value={zone} onchange={keep}>
      <option value="">As my computer says</option>
      {#each zones as name (name)}<option value={name}>{name}</option>{/each}
    </Select>
  </label>
</div>
<Problems {problems} />
