<script lang="ts">
  import { Combobox, type Found } from '$lib/ui/parts';
  import type { Problem } from '$lib/core/problems';

  interface Props {
    shown?: string;
    keeps?: boolean;
    find: (
      search: string,
      after?: string,
      signal?: AbortSignal,
    ) => Promise<Found<string> | Problem>;
    onchoose: (choice: string | null) => void;
    ontext?: (text: string) => void;
    besides?: Record<string, (text: string) => void>;
  }
  /** A combobox of names, between two other controls. */
  let { shown = '', find, onchoose, ...rest }: Props = $props();
  // svelte-ignore state_referenced_locally
  let chosen = $state(shown);
</script>

<Combobox
  id="town"
  label="Town"
  named
  shown={chosen}
  {find}
  patience={0}
  isCurrent={(choice) => choice === chosen}
  onchoose={(choice) => {
    chosen = choice ?? '';
    onchoose(choice);
  }}
  {...rest}
>
  {#snippet option(choice)}<span>{choice}</span>{/snippet}
  {#snippet foot({ failure, shown: count })}{failure ? failure.message : `${count} shown`}{/snippet}
</Combobox>
<a href="#elsewhere">Elsewhere</a>
