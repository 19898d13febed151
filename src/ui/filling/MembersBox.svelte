<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Button } from '$lib/ui/parts';
  import type { Choice, Offer } from '$lib/core/entry/asks';
  import type { Problem } from '$lib/core/problems';
  import type { ValueType } from '$lib/core/values/types';
  import LookupBox from './LookupBox.svelte';

  interface Props {
    id: string;
    label: string;
    /** The chosen records, each in one line. */
    members: readonly { id: number; line: string; bad?: boolean }[];
    columns: readonly { label: string; type: ValueType }[];
    list: (search: string, after?: string) => Promise<Offer | Problem>;
    /** Takes the ids as they are now, with the choice that was added. */
    onchange: (ids: number[], added: Choice | null) => void;
    why?: (offer: Offer) => string[];
    placeholder?: string;
    disabled?: boolean;
    invalid?: boolean;
    describedby?: string;
    onpick?: (text: string) => void;
    onadd?: (text: string) => void;
  }
  let {
    id,
    label,
    members,
    columns,
    list,
    onchange,
    why,
    placeholder = '',
    disabled = false,
    invalid = false,
    describedby,
    onpick,
    onadd,
  }: Props = $props();

  const ids = $derived(members.map((member) => member.id));

  function add(choice: Choice | null) {
    if (typeof choice?.value !== 'number') return;
    if (!ids.includes(choice.value)) onchange([...ids, choice.value], choice);
  }

  function remove(gone: number) {
    onchange(
      ids.filter((member) => member !== gone),
      null,
    );
    document.getElementById(id)?.focus();
  }
</script>

{#if members.length > 0}
  <ul class="mb-1 flex flex-wrap gap-1" aria-label="Chosen for {label}">
    {#each members as member (member.id)}
      <li class={['member', member.bad && 'border-crimson text-crimson']}>
        {member.line}
        {#if !disabled}
          <Button kind="bare" aria-label="Remove {member.line}" onclick={() => remove(member.id)}
            >×</Button
          >
        {/if}
      </li>
    {/each}
  </ul>
{/if}
<LookupBox
  {id}
  {label}
  shown=""
  {columns}
  {list}
  {why}
  {disabled}
  {invalid}
  {describedby}
  {onpick}
  {onadd}
  placeholder={placeholder || (members.length > 0 ? say('add another') : say('choose'))}
  onchoose={add}
/>
