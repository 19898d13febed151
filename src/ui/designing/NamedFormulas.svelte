<script lang="ts">
  import { Input } from '$lib/ui/parts';
  import { keyFrom } from '$lib/core/table/definition';
  import type { LiveScope } from './live-scope';
  import FormulaRow from './FormulaRow.svelte';

  interface Props {
    id: string;
    /** A formula for each name. */
    formulas: Readonly<Record<string, string>>;
    /** Names that want a formula, though they have none yet. */
    wanted?: readonly string[];
    /** How a further name is asked for. */
    another: string;
    placeholder: string;
    live: LiveScope | null;
    onchange: (formulas: Record<string, string>) => void;
  }
  let { id, formulas, wanted = [], another, placeholder, live, onchange }: Props = $props();

  let fresh = $state('');
  const names = $derived([...new Set([...wanted, ...Object.keys(formulas)])]);

  function put(name: string, formula: string | null) {
    const others = Object.entries(formulas).filter(([other]) => other !== name);
    if (formula === null) onchange(Object.fromEntries(others));
    else onchange({ ...formulas, [name]: formula });
  }

  function add(event: SubmitEvent) {
    event.preventDefault();
    if (fresh.trim() !== '') put(keyFrom(fresh, names), 'null');
    fresh = '';
  }
</script>

{#each names as name (name)}
  <FormulaRow
    id="{id}-{name}"
    label={name}
    value={formulas[name] ?? ''}
    {live}
    onchange={(formula) => put(name, formula)}
  />
{/each}
<form onsubmit={add}>
  <Input class="w-56!" aria-label={another} {placeholder} bind:value={fresh} />
</form>
