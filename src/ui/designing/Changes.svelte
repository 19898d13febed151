<script lang="ts">
  import type { PlanChange } from '$lib/core/plan/compare';

  interface Props {
    changes: readonly PlanChange[];
  }
  let { changes }: Props = $props();

  const words = { added: 'new', removed: 'taken out', moved: 'moved', changed: 'changed' } as const;
</script>

<table class="ledger border-line w-full border">
  <thead><tr><th>Field</th><th>Question</th><th>Before</th><th>Now</th></tr></thead>
  <tbody>
    {#each changes as { kind, field, question, before, after }, i (i)}
      <tr>
        <td class="font-semibold">{field || 'The form'}</td>
        <td class="text-soft">{kind === 'changed' ? question : words[kind]}</td>
        <td class="wrap">{before || (kind === 'changed' ? '–' : '')}</td>
        <td class="wrap">{after || (kind === 'changed' ? '–' : '')}</td>
      </tr>
    {/each}
  </tbody>
</table>

<style>
  td {
    vertical-align: top;
  }
  .wrap {
    overflow-wrap: anywhere;
    white-space: normal;
  }
</style>
