<script lang="ts">
  import FormField from './FormField.svelte';
  import type { Field } from '$lib/core/plan/schema';
  import type { EntrySession } from './session.svelte';

  interface Props {
    session: EntrySession;
    prefix?: string;
    /** At most so many columns, for a narrow place. */
    mostColumns?: number;
    /** The field to be marked. */
    lit?: string | null;
    onhover?: (field: string | null) => void;
  }
  let { session, prefix = 'f', mostColumns = 3, lit = null, onhover }: Props = $props();

  const sections = $derived(
    session.form.plan.sections
      .filter((section) => section.grid === null)
      .map((section) => ({ ...section, fields: section.fields.filter(stands) })),
  );

  /** Whether a field stands in the form now. */
  function stands({ key, shows }: Field): boolean {
    return shows !== 'nothing' && !session.entry.cell(key).hidden;
  }
</script>

{#each sections as section (section.key)}
  {#if section.fields.length > 0}
    <fieldset class="mb-4">
      {#if section.title}
        <legend class="mb-2 font-serif text-[16px] font-semibold">{section.title}</legend>
      {/if}
      <div class="fields" style="--columns: {Math.min(section.columns, mostColumns)}">
        {#each section.fields as field (field.key)}
          <div
            class={lit === field.key ? 'lit' : ''}
            role="presentation"
            onmouseenter={() => onhover?.(field.key)}
            onmouseleave={() => onhover?.(null)}
          >
            <FormField {session} {field} {prefix} />
          </div>
        {/each}
      </div>
    </fieldset>
  {/if}
{/each}

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
    gap: 10px 14px;
  }
  .lit {
    box-shadow: -6px 0 0 -3px var(--marigold);
  }
  @media (max-width: 700px) {
    .fields {
      grid-template-columns: minmax(0, 1fr);
    }
  }
</style>
