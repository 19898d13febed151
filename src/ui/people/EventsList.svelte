<script lang="ts">
  import { say, spoken } from '$lib/core/words/say';
  import { eventKinds, type AccessEvent, type EventKind } from '$lib/core/access/event';
  import { formatValue } from '$lib/core/values/format';
  import { reader } from '$lib/core/words/reader';
  import { goto } from '$app/navigation';
  import { parseText } from '$lib/core/values/parse';
  import { Button, Input, Ledger, Select } from '$lib/ui/parts';
  import { reading } from '$lib/ui/shared/locale';
  import ValueInput from '$lib/ui/shared/ValueInput.svelte';

  interface Props {
    events: readonly AccessEvent[];
    kind: string;
    person: string;
    since: string;
  }
  /** What people did beside their work: signed in, were refused, changed rights. */
  let { events, kind, person, since }: Props = $props();

  const words: Record<EventKind, string> = spoken(() => ({
    signed_in: say('signed in'),
    sign_in_refused: say('was not let in'),
    signed_out: say('signed out'),
    refused: say('was refused'),
    account_made: say('added the account'),
    account_changed: say('changed the account'),
    account_removed: say('removed the account'),
    password_set: say('set a password'),
    code_set: say('changed the codes for signing in'),
    passkey_set: say('changed the passkeys'),
    session_ended: say('ended a session'),
    role_made: say('added the role'),
    role_changed: say('changed the rights of'),
    role_removed: say('removed the role'),
    looked_as: say('looked through the eyes of'),
    token_made: say('made the token'),
    token_ended: say('ended a token'),
    invited: say('invited a guest'),
    invitation_ended: say('revoked an invitation'),
    taken_out: say('took data out'),
  }));
  const ways: Partial<Record<string, string>> = spoken(() => ({
    password: say('with a password'),
    passkey: say('with a passkey'),
    organisation: say('through the organisation'),
    demo: say('by one click'),
    link: say('by a link'),
  }));

  function narrow(change: Partial<Record<'kind' | 'person' | 'since', string>>) {
    const wanted = { of: 'people', kind, person, since, ...change };
    const query = Object.entries(wanted).filter(([, value]) => value !== '');
    void goto(`/activity?${new URLSearchParams(query)}`, { keepFocus: true });
  }
  let typed = $derived(person);
  let day = $state<string | null>(null);

  function takeDay() {
    const read = day === null ? null : parseText({ kind: 'date' }, day, '', reading());
    day = null;
    if (read && 'value' in read)
      narrow({ since: typeof read.value === 'string' ? read.value : '' });
  }
</script>

<form
  class="mb-3 flex flex-wrap items-end gap-3"
  onsubmit={(event) => {
    event.preventDefault();
    narrow({ person: typed.trim() });
  }}
>
  <label class="grid gap-1 text-[13px] font-semibold">
    <span>What</span>
    <Select
      class="w-56! font-normal"
      value={kind}
      onchange={(event) => narrow({ kind: event.currentTarget.value })}
    >
      <option value="">anything</option>
      {#each eventKinds as one (one)}<option value={one}>{words[one]}</option>{/each}
    </Select>
  </label>
  <label class="grid gap-1 text-[13px] font-semibold">
    Who
    <Input class="w-48! font-normal" bind:value={typed} maxlength={100} />
  </label>
  <div class="grid gap-1 text-[13px] font-semibold">
    <span aria-hidden="true">Since</span>
    <span class="w-44 font-normal">
      <ValueInput
        label={say('Since')}
        type={{ kind: 'date' }}
        value={since === '' ? null : since}
        onvalue={(value) => narrow({ since: typeof value === 'string' ? value : '' })}
        ontext={(text) => (day = text)}
        onleave={takeDay}
      />
    </span>
  </div>
  <Button kind="other" type="submit">Show</Button>
</form>
{#if events.length === 0}
  <p class="quiet">Nothing of this kind was noted.</p>
{:else}
  <Ledger class="border-line border">
    <thead><tr><th>When</th><th>Who</th><th>What</th><th>Address</th></tr></thead>
    <tbody>
      {#each events as { id, at, kind: what, person: who, about, address } (id)}
        <tr>
          <td class="text-soft whitespace-nowrap"
            >{formatValue({ kind: 'date_time' }, at, reader())}</td
          >
          <td class="font-semibold">{who}</td>
          <td>{words[what]} {what === 'signed_in' ? (ways[about] ?? '') : about}</td>
          <td class="text-soft">{address || '–'}</td>
        </tr>
      {/each}
    </tbody>
  </Ledger>
{/if}
