<script lang="ts">
  import { say } from '$lib/core/words/say';
  import { Ledger } from '$lib/ui/parts';
  import type { PlanChange } from '$lib/core/plan/compare';

  interface Props {
    changes: readonly PlanChange[];
  }
  let { changes }: Props = $props();

  const words = {
    added: say('new'),
    removed: say('taken out'),
    moved: say('moved'),
    changed: say('changed'),
  } as const;
</script>

<Ledger class="border-line w-full border">
  <thead><tr><th>Field</th><th>Question</th><th>Before</th><th>Now</th></tr></thead>
  <tbody>
    {#each changes as { kind, field, question, before, after }, i (i)}
      <tr>
        <td class="font-semibold">{field || say('The form')}</td>
        <td class="text-soft">{kind === 'changed' ? question : words[kind]}</td>
        <td class="wrap-anywhere whitespace-normal align-top"
          >{before || (kind === 'changed' ? '–' : '')}</td
        >
        <td class="wrap-anywhere whitespace-normal align-top"
          >{after || (kind === 'changed' ? '–' : '')}</td
        >
      </tr>
    {/each}
  </tbody>
</Ledger>
