<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { otherTypes, type ColumnProfile } from '$lib/core/formats/csv-profile';
  import type { ValueType } from '$lib/core/values/types';
  import { Button } from '$lib/ui/parts';
  import { evidenceOf } from './together-words';

  interface Props {
    profile: ColumnProfile;
    type: ValueType;
    /** A type that the values speak for was taken. */
    ontype: (type: ValueType) => void;
  }
  let { profile, type, ontype }: Props = $props();

  function words(kind: ValueType['kind']): string {
    if (kind === 'option') return say('Make it a list of options');
    return kind === 'date' ? say('Read it as dates') : say('Read it as numbers');
  }
</script>

<!-- What the values of a column show, and what it could be as well. -->
<span class="block">
  {evidenceOf(profile, type)}
  {#each otherTypes(profile, type) as other (other.kind)}
    <Button kind="link" class="ms-1" onclick={() => ontype(other)}>{words(other.kind)}</Button>
  {/each}
</span>
