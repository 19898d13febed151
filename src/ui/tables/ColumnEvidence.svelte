<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { otherTypes, type ColumnProfile } from '$lib/core/formats/csv-profile';
  import type { ImportColumn } from '$lib/core/formats/csv-rows';
  import type { ValueType } from '$lib/core/values/types';
  import { Button } from '$lib/ui/parts';
  import { evidenceOf } from './together-words';

  interface Props {
    profile: ColumnProfile;
    column: ImportColumn;
    /** The column has taken a type that its values speak for. */
    onchange: () => void;
    /** How many different values it has, where they could be a table of their own, and what makes one of them. */
    split?: { different: number; make: () => void } | null;
  }
  let { profile, column, onchange, split = null }: Props = $props();

  function take(type: ValueType) {
    column.type = type;
    onchange();
  }

  function words(kind: ValueType['kind']): string {
    if (kind === 'option') return say('Make it a list of options');
    return kind === 'date' ? say('Read it as dates') : say('Read it as numbers');
  }
</script>

<!-- What the values of a column show, and what it could be as well. -->
<span class="block">
  {evidenceOf(profile, column.type, split?.different)}
  {#each otherTypes(profile, column.type) as other (other.kind)}
    <Button kind="link" class="ms-1" onclick={() => take(other)}>{words(other.kind)}</Button>
  {/each}
  {#if split}
    <Button kind="link" class="ms-1" onclick={split.make}>Make it a table of its own</Button>
  {/if}
</span>
